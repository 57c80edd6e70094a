"""Plans are kept written anew without literals; as they were for operators, and for whoever brought them."""

import faena.apps.fields
from django.db import migrations, models
from faena.core.plans.model import BadPlan
from faena.core.engines.postgres.plans.reader import read_plan
from faena.core.engines.postgres.plans.writing import bare_plan
from faena.core.privacy import Raw


def write_anew(apps, schema_editor):
    for name in ("BroughtPlan", "CapturedPlan"):
        Plan = apps.get_model("plans", name)
        for row in Plan.objects.iterator(chunk_size=200):
            try:
                bare = bare_plan(read_plan(row.written))
            except BadPlan:  # of a version that read more; nobody can tell what is in it
                row.delete()
                continue
            told = {"written": bare, "raw": Raw(row.written) if bare != row.written else None}
            if name == "BroughtPlan":
                told["personal"] = row.server_id is None
            Plan.objects.filter(pk=row.pk).update(**told)


class Migration(migrations.Migration):
    dependencies = [("plans", "0002_log_capture")]

    operations = [
        migrations.AddField("broughtplan", "raw", faena.apps.fields.RawTextField(default=None)),
        migrations.AddField("broughtplan", "personal", models.BooleanField(default=True)),
        migrations.AddField("capturedplan", "raw", faena.apps.fields.RawTextField(default=None)),
        migrations.AlterField("broughtplan", "written", faena.apps.fields.BareTextField()),
        migrations.AlterField("capturedplan", "written", faena.apps.fields.BareTextField()),
        migrations.RunPython(write_anew, migrations.RunPython.noop),
    ]
