"""Requests by class of duration as bytes: the server hands a day of them over end to end."""

from typing import ClassVar

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies: ClassVar = [("requests", "0002_marks")]

    operations: ClassVar = [
        migrations.SeparateDatabaseAndState(
            database_operations=[
                migrations.RunSQL(
                    [
                        "ALTER TABLE requests_requestsum RENAME COLUMN rungs TO told",
                        "ALTER TABLE requests_requestsum ADD COLUMN rungs bytea",
                        "UPDATE requests_requestsum SET rungs = (SELECT string_agg(float4send(coalesce(told[i], 0)::float4), "
                        "''::bytea ORDER BY i) FROM generate_series(1, 97) AS i)",
                        "ALTER TABLE requests_requestsum ALTER COLUMN rungs SET NOT NULL",
                        "ALTER TABLE requests_requestsum DROP COLUMN told",
                    ],
                    # Going back keeps all sums but how durations were spread: the server cannot read those bytes.
                    reverse_sql=[
                        "ALTER TABLE requests_requestsum DROP COLUMN rungs",
                        "ALTER TABLE requests_requestsum ADD COLUMN rungs double precision[] NOT NULL DEFAULT '{}'",
                        "ALTER TABLE requests_requestsum ALTER COLUMN rungs DROP DEFAULT",
                    ],
                )
            ],
            state_operations=[migrations.AlterField("requestsum", "rungs", models.BinaryField())],
        )
    ]
