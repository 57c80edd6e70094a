"""Recompute the shapes of stored plans: text and JSON give the same shape, and a partition counts as its table."""

from django.db import migrations
from faena.core.plans.model import BadPlan
from faena.core.engines.postgres.plans.reader import read_plan
from faena.core.plans.shape import shape


def tell_anew(apps, schema_editor):
    Plan, Execution = apps.get_model("plans", "CapturedPlan"), apps.get_model("statements", "Execution")
    for row in Plan.objects.order_by("pk").iterator(chunk_size=200):
        try:
            new = shape(read_plan(row.written))
        except BadPlan:
            continue
        if new == row.shape:
            continue
        Execution.objects.filter(server_id=row.server_id, query_id=row.query_id, plan_id=row.shape).update(plan_id=new)
        same = Plan.objects.filter(server_id=row.server_id, query_id=row.query_id, shape=new).exclude(pk=row.pk).first()
        if same is None:
            Plan.objects.filter(pk=row.pk).update(shape=new)
            continue
        # Two that were told apart are one: the dearer of them stays.
        first, last = min(same.first_ms, row.first_ms), max(same.last_ms, row.last_ms)
        kept, gone = (same, row) if same.took_ms >= row.took_ms else (row, same)
        gone.delete()
        Plan.objects.filter(pk=kept.pk).update(
            shape=new, first_ms=first, last_ms=last, asked=same.asked and row.asked
        )


class Migration(migrations.Migration):
    dependencies = [("plans", "0003_texts_without_literals"), ("statements", "0004_texts_without_literals")]

    operations = [migrations.RunPython(tell_anew, migrations.RunPython.noop)]
