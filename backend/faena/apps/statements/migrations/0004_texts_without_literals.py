"""Texts of log events lose their literals; as they were they stay only where capture is on, for operators."""

import faena.apps.fields
from django.db import migrations
from faena.core.discreet import bare_event
from faena.core.logged import EventKind
from faena.core.logged import LogEvent as Logged
from faena.core.privacy import Raw
from faena.core.sql.texts import conceal

BATCH = 1000


def take_literals_out(apps, schema_editor):
    Event, Text = apps.get_model("statements", "LogEvent"), apps.get_model("statements", "Text")
    Server = apps.get_model("servers", "Server")
    keeping = set(Server.objects.filter(keep_parameters=True).values_list("id", flat=True))
    batch = []
    for row in Event.objects.iterator(chunk_size=BATCH):
        told = Logged(row.at_ms, EventKind(row.kind), row.pid, row.place, row.severity, row.sqlstate, row.message, row.detail,
                      row.context)
        if row.server_id in keeping:
            row.message_raw, row.detail_raw, row.context_raw = (
                Raw(text) if text else None for text in (row.message, row.detail, row.context)
            )
        else:
            row.statement = None
        row.message, row.detail, row.context = bare_event(told)
        batch.append(row)
        if len(batch) >= BATCH:
            _save(Event, batch)
    _save(Event, batch)
    for text in Text.objects.iterator(chunk_size=BATCH):
        bare = conceal(text.text)
        if bare != text.text:
            Text.objects.filter(server_id=text.server_id, query_id=text.query_id).update(text=bare)


def _save(model, batch):
    names = ["message", "detail", "context", "message_raw", "detail_raw", "context_raw", "statement"]
    for row in batch:  # rows with a composite key are saved one by one
        model.objects.filter(server_id=row.server_id, at_ms=row.at_ms, pid=row.pid, place=row.place).update(
            **{name: getattr(row, name) for name in names}
        )
    batch.clear()


class Migration(migrations.Migration):
    dependencies = [("servers", "0005_log_capture"), ("statements", "0003_summed_hours")]

    operations = [
        *(
            migrations.AlterField("execution", name, faena.apps.fields.RawTextField(default=None))
            for name in ("statement", "parameters")
        ),
        *(
            migrations.AddField("logevent", name, faena.apps.fields.RawTextField(default=None))
            for name in ("message_raw", "detail_raw", "context_raw")
        ),
        migrations.AlterField("logevent", "statement", faena.apps.fields.RawTextField(default=None)),
        migrations.AlterField("logevent", "message", faena.apps.fields.BareTextField()),
        migrations.AlterField("logevent", "detail", faena.apps.fields.BareTextField(default="")),
        migrations.AlterField("logevent", "context", faena.apps.fields.BareTextField(default="")),
        migrations.AlterField("text", "text", faena.apps.fields.BareTextField()),
        migrations.RunPython(take_literals_out, migrations.RunPython.noop),
    ]
