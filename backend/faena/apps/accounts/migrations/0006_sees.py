"""Which groups of servers a viewer sees."""

import django.contrib.postgres.fields
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("accounts", "0005_subject_and_groups")]

    operations = [
        migrations.AddField(
            model_name="user",
            name="sees",
            field=django.contrib.postgres.fields.ArrayField(
                base_field=models.CharField(max_length=80), blank=True, default=list, size=None
            ),
        ),
    ]
