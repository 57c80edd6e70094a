"""Recordings and ended sessions belong to an app of their own; their tables are renamed, nothing in them is touched."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("locks", "0003_confidence")]

    operations = [
        migrations.SeparateDatabaseAndState(
            database_operations=[
                migrations.AlterModelTable("Recording", "watched_sessions_recording"),
                migrations.AlterModelTable("EndedSession", "watched_sessions_endedsession"),
            ],
            state_operations=[migrations.DeleteModel("Recording"), migrations.DeleteModel("EndedSession")],
        )
    ]
