"""Counts what earlier versions stored, so that its history stays in sight."""

from typing import ClassVar

from django.db import migrations

COUNT = """
INSERT INTO servers_holdings (server_id, first_ms, newest_ms, codes, rewrites, texts)
SELECT s.id, coalesce(least(t.first, c.first), 0), coalesce(greatest(t.last, c.last), 0), coalesce(d.codes, 0), 0, 0
FROM servers_server s
LEFT JOIN (SELECT server_id, min(at_ms) AS first, max(at_ms) AS last FROM samples_tick GROUP BY 1) t ON t.server_id = s.id
LEFT JOIN (SELECT server_id, min(hour_ms) AS first, max(hour_ms) + 3599000 AS last FROM samples_chunk GROUP BY 1) c
    ON c.server_id = s.id
LEFT JOIN (SELECT server_id, max(code) + 1 AS codes FROM samples_combination GROUP BY 1) d ON d.server_id = s.id
ON CONFLICT DO NOTHING
"""


class Migration(migrations.Migration):
    dependencies: ClassVar = [("samples", "0001_initial"), ("servers", "0002_holdings")]
    operations: ClassVar = [migrations.RunSQL(COUNT, migrations.RunSQL.noop)]
