"""Tests a connection step by step and says, for each gap, the exact statement that mends it."""

from dataclasses import dataclass

import psycopg

from faena.core.engines.inquiry import CheckStep
from faena.core.engines.postgres.telling import preloading, quoted, setting
from faena.sources.postgres import queries
from faena.sources.postgres.log import log_grant
from faena.sources.postgres.refusals import as_source_error
from faena.sources.postgres.source import Target

NAMES = ("reachable", "version", "may see sessions", "statement identifiers", "statement counters", "I/O timing")


async def check_connection(target: Target) -> list[CheckStep]:
    """All steps, in order. Never raises for what the server says; a wrong host or password is a failed first step."""
    try:
        async with await psycopg.AsyncConnection.connect(target.conninfo(), autocommit=True) as connection:
            row = await (await connection.execute(queries.FACTS)).fetchone()
            settings: dict[str, str] = dict(await (await connection.execute(queries.SETTINGS)).fetchall())
            preloaded = await (
                await connection.execute(
                    "SELECT EXISTS (SELECT FROM pg_settings WHERE name = 'pg_stat_statements.max')"
                )
            ).fetchone()
    except psycopg.Error as error:
        failure = as_source_error(error, target.where)
        first = CheckStep(name=NAMES[0], ok=False, found=str(failure), remedy=failure.remedy)
        return [first, *(CheckStep(name=name, ok=None, found="not reached") for name in NAMES[1:])]
    assert row is not None
    assert preloaded is not None
    return _judge(target, row, settings, preloaded=bool(preloaded[0]))


def _judge(target: Target, row: tuple[object, ...], settings: dict[str, str], *, preloaded: bool) -> list[CheckStep]:
    version, text, _started, _max, _standby, has_counters, reads_all = row
    assert isinstance(version, int)
    counters = "" if preloaded else preloading(settings, "pg_stat_statements") + "\n"
    if not has_counters:
        counters += "CREATE EXTENSION pg_stat_statements;"
    identifiers = version < 140000 or settings.get("compute_query_id") in ("on", "auto")
    return [
        CheckStep(name=NAMES[0], ok=True, found=f"answered at {target.where}"),
        CheckStep(
            name=NAMES[1],
            ok=version >= queries.OLDEST,
            found=f"PostgreSQL {text}",
            remedy="" if version >= queries.OLDEST else "Faena needs PostgreSQL 12 or newer",
        ),
        CheckStep(
            name=NAMES[2],
            ok=bool(reads_all),
            found="sees all sessions" if reads_all else "sees only its own sessions",
            remedy="" if reads_all else f"GRANT pg_read_all_stats TO {quoted(target.user)};",
        ),
        CheckStep(
            name=NAMES[3],
            ok=identifiers,
            found="compute_query_id " + settings.get("compute_query_id", "does not exist before 14: texts are used"),
            remedy="" if identifiers else setting("compute_query_id", "on"),
            needed=False,
        ),
        CheckStep(
            name=NAMES[4],
            ok=preloaded and bool(has_counters),
            found=_counters_found(preloaded=preloaded, here=bool(has_counters)),
            remedy=counters,
            needed=False,
        ),
        CheckStep(
            name=NAMES[5],
            ok=settings.get("track_io_timing") == "on",
            found=f"track_io_timing {settings.get('track_io_timing', 'unknown')}",
            remedy="" if settings.get("track_io_timing") == "on" else setting("track_io_timing", "on"),
            needed=False,
        ),
    ]


def _counters_found(*, preloaded: bool, here: bool) -> str:
    if here and not preloaded:
        return "pg_stat_statements is installed here, but the server did not load it at its start"
    return "pg_stat_statements is installed" if here else "pg_stat_statements is not installed here"


@dataclass(frozen=True, slots=True, kw_only=True)
class Wanted:
    """What a role shall be able to do beside sampling; each takes a right that is not given without."""

    log: bool = False  # read the log through the server
    plans: bool = False  # ask for plans, and propose indexes
    ending: bool = False  # end statements and sessions


def role_script(user: str, wanted: Wanted | None = None) -> str:
    """A role that sees what sampling reads and changes nothing; more only as far as it is wanted.

    The password is for the DBA to choose.
    """
    wanted = wanted or Wanted()
    name = quoted(user)
    lines = [
        f"CREATE ROLE {name} LOGIN PASSWORD 'choose-one' CONNECTION LIMIT 5;",
        f"GRANT pg_read_all_stats, pg_read_all_settings TO {name};",
        "CREATE EXTENSION IF NOT EXISTS pg_stat_statements;  -- in the database Faena connects to",
    ]
    if wanted.log:
        lines += [
            "-- To read the log through the server. The second of them opens all files of the data directory to the role:",
            "-- leave both out where the collector can read the log as files.",
            log_grant(user),
        ]
    if wanted.plans:
        lines += [
            "-- To ask for plans and to propose indexes; before 14 no such role exists, and SELECT is granted table by table:",
            "DO $$ BEGIN IF EXISTS (SELECT FROM pg_roles WHERE rolname = 'pg_read_all_data') THEN "
            f"GRANT pg_read_all_data TO {name}; END IF; END $$;",
        ]
    if wanted.ending:
        lines += [
            "-- So that operators can end statements and sessions from Faena:",
            f"GRANT pg_signal_backend TO {name};",
        ]
    return "\n".join(lines) + "\n"
