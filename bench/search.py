"""Search over eight servers with a year of texts and messages: any part of any of them, at the API."""

import os
import random

import django

django.setup()

from django.conf import settings  # noqa: E402
from django.db import connection  # noqa: E402
from django.test import Client  # noqa: E402
from faena.apps.accounts.actions import save_user  # noqa: E402
from faena.apps.accounts.models import Role  # noqa: E402
from faena.apps.cases.models import Case  # noqa: E402
from faena.apps.leads.models import KnownLead  # noqa: E402
from faena.apps.servers.models import Server  # noqa: E402
from reporting import report, timed  # noqa: E402

SERVERS, TEXTS, MESSAGES, LEADS, CASES = 8, 5000, 50_000, 300, 500  # texts, messages and leads of each server
WORDS = [
    "berth",
    "sailing",
    "gangway",
    "manifest",
    "deck",
    "slot",
    "fare",
    "route",
    "vessel",
    "crew",
    "duty",
    "harbour",
    "gate",
    "scan",
    "ticket",
    "cargo",
    "ramp",
    "buoy",
]
QUERIES = {
    "a rare word": "zephyr77", "a common one": "sailing", "two words": "gangway manifest", "part of a word": "anife",
    "nothing": "nowhere at all",
    "one kind": "sailing kind:lead",
}  # fmt: skip

settings.ALLOWED_HOSTS.append("testserver")
Server.objects.filter(name__startswith="searched-").delete()
chance = random.Random(7)
with connection.cursor() as cursor:
    for number in range(SERVERS):
        server = Server.objects.create(name=f"searched-{number}")
        cursor.execute(
            "INSERT INTO statements_text (server_id, query_id, text, tables, tool, learned_at) SELECT %s, i, 'SELECT ' || "
            "(%s::text[])[1 + i %% 18] || '_' || i || ' FROM ' || (%s::text[])[1 + i / 7 %% 18] || ' JOIN ' || "
            "(%s::text[])[1 + i / 90 %% 18] || CASE WHEN i = 4000 THEN ' zephyr77' ELSE '' END || ' USING (id) WHERE kind = $1 AND state = $2', "
            "'', false, now() FROM generate_series(1, %s) i",
            [server.pk, WORDS, WORDS, WORDS, TEXTS],
        )
        cursor.execute(
            "INSERT INTO statements_logevent (server_id, at_ms, pid, place, kind, severity, sqlstate, message, detail, context, message_raw, "
            "detail_raw, context_raw, statement, database, \"user\", program, client) SELECT %s, 1790000000000 + i::bigint * 60000, 1, i, 'error', "
            "'ERROR', '', 'could not find ' || (%s::text[])[1 + i %% 18] || ' of ' || (%s::text[])[1 + i / 30 %% 18] || ' in ' || i %% 400, "
            "'', '', '', '', '', '', '', '', '', '' FROM generate_series(1, %s) i",
            [server.pk, WORDS, WORDS, MESSAGES],
        )
        KnownLead.objects.bulk_create(
            KnownLead(server=server, identity=f"{n}", kind="spill", title=f"{chance.choice(WORDS)} waits for {chance.choice(WORDS)}", first_ms=n, last_ms=n)
            for n in range(LEADS)
        )  # fmt: skip
    Case.objects.filter(made_by="bench").delete()
    Case.objects.bulk_create(
        Case(
            title=f"Slow {chance.choice(WORDS)} {n}",
            conclusion=" ".join(chance.choices(WORDS, k=60)),
            made_ms=n,
            made_by="bench",
            changed_ms=n,
        )
        for n in range(CASES)
    )
    cursor.execute("VACUUM statements_text")
    cursor.execute("VACUUM statements_logevent")  # as autovacuum does
    cursor.execute("ANALYZE statements_text; ANALYZE statements_logevent; ANALYZE leads_knownlead; ANALYZE cases_case")
client = Client()
user = save_user(f"bench-{os.getpid()}", "correct horse", Role.VIEWER)
client.force_login(user, backend="django.contrib.auth.backends.ModelBackend")
for what, words in QUERIES.items():
    assert client.get("/api/v1/search", {"words": f"{words} server:searched"}).status_code == 200
    median, p95, clock = timed(
        lambda words=words: client.get("/api/v1/search", {"words": f"{words} server:searched"}), runs=20
    )
    report(
        f"search for {what} over {SERVERS} servers, p95 at the API", p95, "ms", at_most=50,
        note=f"median {median:.0f}, {SERVERS * TEXTS // 1000} k statements, {SERVERS * MESSAGES // 1000} k messages", clock=clock,
    )  # fmt: skip
Server.objects.filter(name__startswith="searched-").delete()
Case.objects.filter(made_by="bench").delete()
user.delete()
