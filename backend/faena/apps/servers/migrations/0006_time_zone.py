from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("servers", "0005_log_capture")]

    operations = [migrations.AddField("server", "time_zone", models.CharField(blank=True, default="", max_length=64))]
