"""Ranking, a statement's page, cause split and distribution over 24 h at the API, with two weeks of history behind."""

import django

django.setup()

import numpy as np  # noqa: E402
from django.conf import settings  # noqa: E402
from django.db import connection  # noqa: E402
from django.test import Client  # noqa: E402
from faena.apps.accounts.actions import save_user  # noqa: E402
from faena.apps.accounts.models import Role  # noqa: E402
from faena.apps.bulk import copy_rows  # noqa: E402
from faena.apps.servers.models import Server  # noqa: E402
from faena.apps.statements.actions import copy_work, learn_texts  # noqa: E402
from faena.apps.statements.hours import sum_up  # noqa: E402
from faena.apps.statements.logged import copy_executions  # noqa: E402
from faena.apps.statements.models import SummedHour, WorkHour  # noqa: E402
from faena.core.logged import Execution  # noqa: E402
from faena.core.readings import COUNTER_FIELDS, CounterKey, StatementText  # noqa: E402
from faena.core.units import MS_PER_HOUR, EpochMs, Pid, QueryId  # noqa: E402
from filling import filled  # noqa: E402
from reporting import report, timed  # noqa: E402

settings.ALLOWED_HOSTS.append("testserver")
STATEMENTS = 500  # known
ACTIVE = 60  # of them run in any quarter of a minute
EXECUTIONS = 40_000
HOURS = 48
USUAL_DAYS = 14  # of summed hours, from which is told what is usual


def fill() -> tuple[Server, int]:
    server, end = filled("bench-statements", 24)
    chance = np.random.default_rng(1)
    end = end // 15_000 * 15_000
    learn_texts(
        server.id,
        [
            StatementText(query_id=QueryId(i), text=f"SELECT c{i} FROM t{i % 90} WHERE id = $1")
            for i in range(STATEMENTS)
        ],
    )
    spans = []
    for until in range(end - HOURS * 3_600_000 + 15_000, end + 1, 15_000):
        work = {}
        for i in chance.choice(STATEMENTS, ACTIVE, replace=False, p=None):
            values = chance.exponential(10, len(COUNTER_FIELDS))
            work[CounterKey(query_id=QueryId(int(i)), database="d", user="u")] = values
        spans.append((EpochMs(until - 15_000), EpochMs(until), work))
    copy_work(server.id, spans)
    past = range(end // MS_PER_HOUR * MS_PER_HOUR - USUAL_DAYS * 24 * MS_PER_HOUR, spans[0][0], MS_PER_HOUR)
    copy_rows(
        WorkHour,
        ("server", "hour_ms", "query_id", "database", "user", "toplevel", *COUNTER_FIELDS),
        (
            (server.id, hour, i, "d", "u", True, *chance.exponential(300, len(COUNTER_FIELDS)).tolist())
            for hour in past
            for i in range(STATEMENTS)
        ),
    )
    SummedHour.objects.bulk_create([SummedHour(server_id=server.id, hour_ms=hour) for hour in past])
    while sum_up(server.id, end + 3_600_000):
        pass
    runs = [
        Execution(
            EpochMs(end - int(at)), float(ms), Pid(int(at) % 500), n, query_id=QueryId(n % 20), program=f"p{n % 7}"
        )
        for n, (at, ms) in enumerate(
            zip(chance.uniform(0, 86_400_000, EXECUTIONS), chance.lognormal(2, 2, EXECUTIONS), strict=True)
        )
    ]
    copy_executions(server.id, ((one, None) for one in runs))
    with connection.cursor() as cursor:
        cursor.execute("ANALYZE")  # as autovacuum does for tables that grow by and by
    return server, end


def main() -> None:
    server, end = fill()
    client = Client()
    client.force_login(
        save_user("bench", "correct horse", Role.OPERATOR), backend="django.contrib.auth.backends.ModelBackend"
    )
    window = f"from={end - 86_400_000}&to={end}"
    base = f"/api/v1/servers/{server.id}"
    for name, path, budget in (
        ("ranking, 24 h", f"{base}/statements?{window}&limit=200", 150),
        ("a statement's page, 24 h", f"{base}/statements/7?{window}", 150),
        ("what is usual of each statement, 24 h", f"{base}/usual-times?{window}", None),
        ("cause split, 24 h", f"{base}/split?{window}", 150),
        (f"distribution of {EXECUTIONS} executions, 24 h", f"{base}/executions?{window}", None),
        (f"table of {EXECUTIONS} executions, 24 h", f"{base}/executions/pivot?{window}", None),
    ):
        answer = client.get(path)
        assert answer.status_code == 200, answer.content[:300]
        median, p95, clock = timed(lambda path=path: client.get(path))
        report(f"{name}: p95", p95, "ms", at_most=budget, note=f"median {median:.0f}", clock=clock)


if __name__ == "__main__":
    main()
