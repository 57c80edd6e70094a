"""Deadlocks: parties and record without literals; as they were only where capture is on, for operators."""

import faena.apps.fields
import orjson
from django.db import migrations
from faena.core.discreet import bare_context
from faena.core.privacy import Raw
from faena.core.sql.texts import normalise


def take_literals_out(apps, schema_editor):
    Deadlock, Server = apps.get_model("locks", "Deadlock"), apps.get_model("servers", "Server")
    keeping = set(
        Server.objects.filter(keep_parameters=True).values_list("id", flat=True)
    ) | set(Server.objects.filter(engine="simulated").values_list("id", flat=True))
    for row in Deadlock.objects.iterator(chunk_size=200):
        bare = [
            {**one, "statement": normalise(one["statement"]), "context": bare_context(one["context"])}
            for one in row.parties
        ]
        told = {"parties": bare}
        if row.server_id in keeping:
            told["parties_raw"], told["record_raw"] = Raw(orjson.dumps(row.parties).decode()), Raw(row.record)
        lines = [
            f"Process {one['pid']} waits for {one['wants']['mode']} on {one['wants']['said']}; blocked by process "
            f"{one['waits_for']}."
            for one in bare
        ] + [f"Process {one['pid']}: {one['statement']}" for one in bare]
        context = f"\nCONTEXT:  {bare[0]['context']}" if bare and bare[0]["context"] else ""
        told["record"] = "ERROR:  deadlock detected\nDETAIL:  " + "\n".join(lines) + context
        Deadlock.objects.filter(
            server_id=row.server_id, at_ms=row.at_ms, victim=row.victim, place=row.place
        ).update(**told)


class Migration(migrations.Migration):
    dependencies = [("locks", "0001_first"), ("servers", "0005_log_capture")]

    operations = [
        migrations.RenameField("deadlock", "raw", "record"),
        migrations.AlterField("deadlock", "record", faena.apps.fields.BareTextField()),
        migrations.AddField("deadlock", "record_raw", faena.apps.fields.RawTextField(default=None)),
        migrations.AddField("deadlock", "parties_raw", faena.apps.fields.RawTextField(default=None)),
        migrations.RunPython(take_literals_out, migrations.RunPython.noop),
    ]
