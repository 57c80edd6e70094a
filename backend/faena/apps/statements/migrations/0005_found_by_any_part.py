"""Texts of statements and messages of the log are found by any part of them, over all servers at once."""

from django.contrib.postgres.indexes import GinIndex
from django.contrib.postgres.operations import TrigramExtension
from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("statements", "0004_texts_without_literals")]

    operations = [
        TrigramExtension(),
        migrations.AddIndex("text", GinIndex(name="text_by_part", fields=["text"], opclasses=["gin_trgm_ops"])),
        migrations.AddIndex("logevent", GinIndex(name="message_by_part", fields=["message"], opclasses=["gin_trgm_ops"])),
    ]
