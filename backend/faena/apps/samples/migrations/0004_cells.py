"""Replaces three quantiles of each hour by cells of five minutes, made from the kept minutes: what is usual is told from them."""

import numpy as np
from django.contrib.postgres.fields import ArrayField
from django.db import migrations, models
from faena.apps.samples import packing
from faena.core.sessions.frame import SampleFrame
from faena.core.sampling.rollup import cells_of

COLUMNS = ("tick_ms", "tick", "code", "taken", "seen")


def fill(apps, schema_editor):
    Rollup, Combination = apps.get_model("samples", "Rollup"), apps.get_model("samples", "Combination")
    for server in Rollup.objects.values_list("server_id", flat=True).distinct().order_by():
        codes = Combination.objects.filter(server_id=server, active=True).values_list("code", "wait_type")
        running = np.array([code for code, wait_type in codes if not wait_type], dtype=np.int64)
        waiting = np.array([code for code, wait_type in codes if wait_type], dtype=np.int64)
        rows = Rollup.objects.filter(server_id=server)
        for hour, *packed in rows.values_list("hour_ms", *COLUMNS).iterator(chunk_size=200):
            try:
                tick_ms, *rest = (packing.unpack(column) for column in packed)
            except packing.BadColumn:
                continue  # damaged; it is shown as a gap and our log tells of it whenever it is read
            cells = cells_of(SampleFrame(tick_ms, *(c.astype(np.int32) for c in rest)), running, waiting)
            if cells is not None:
                rows.filter(hour_ms=hour).update(cells=cells.ravel().tolist())


class Migration(migrations.Migration):
    dependencies = [("samples", "0003_history")]

    operations = [
        migrations.AddField("rollup", "cells", ArrayField(models.IntegerField(), default=list), preserve_default=False),
        migrations.RunPython(fill, migrations.RunPython.noop),
        *(
            migrations.RemoveField("rollup", f"{side}_{level}")
            for side in ("run", "wait")
            for level in ("low", "middle", "high")
        ),
    ]
