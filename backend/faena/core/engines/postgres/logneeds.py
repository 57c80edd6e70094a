"""Which settings of a server its log needs to tell single executions, and what each costs."""

from collections.abc import Mapping

from faena.core.engines.inquiry import LogNeed
from faena.core.engines.postgres.telling import preloading, quoted, setting
from faena.core.logged import CaptureRules
from faena.core.statements.executions import logged_share, settings_of_some

BYTES_PER_ENTRY = 700  # of jsonlog with a statement of usual length and its parameters
CORE_US_PER_ENTRY = 12.0  # for formatting an entry and handing it to the log writer
SECONDS_PER_DAY = 86_400
SAMPLES_SINCE = 130000  # log_min_duration_sample


def log_needs(
    settings: Mapping[str, str], version: int, rules: CaptureRules, calls_per_s: float | None
) -> list[LogNeed]:
    """In the order in which to mend them. `calls_per_s` of all statements, None while nothing was counted."""
    form = "jsonlog" if version >= 150000 else "csvlog"
    destination, slow = settings.get("log_destination", ""), f"{rules.slow_ms:.0f}"
    return [
        _setting(settings, "logging_collector", "on", "the log as files", restart=True),
        LogNeed(
            name="a form that names programs and identifiers",
            ok=form in destination,
            found=f"log_destination = {destination or 'unknown'}",
            remedy="" if form in destination else setting("log_destination", form),
        ),
        _threshold(settings, "log_min_duration_statement", slow, "slow executions, each with its time"),
        *_otherwise(settings, rules.slow_ms),
        _share(settings, version, rules.fast_share, calls_per_s),
        _plans(settings, slow),
        _setting(settings, "log_lock_waits", "on", "waits for locks longer than deadlock_timeout"),
        _threshold(settings, "log_temp_files", "10240", "temporary files"),
    ]


def _otherwise(settings: Mapping[str, str], slow_ms: float) -> list[LogNeed]:
    """Roles and databases whose slow executions are logged only from later on, or never."""
    share = logged_share(settings)
    found = []
    for role, database, name, value in settings_of_some(settings):
        from_ms = share.of_some[role, database].all_from_ms
        if name != "log_min_duration_statement" or (from_ms is not None and from_ms <= slow_ms):
            continue
        whose = " in ".join(filter(None, (role and f"role {role}", database and f"database {database}")))
        where = (
            f"ROLE {quoted(role)}" + (f" IN DATABASE {quoted(database)}" if database else "")
            if role
            else f"DATABASE {quoted(database)}"
        )
        found.append(
            LogNeed(
                name=f"slow executions of {whose}",
                ok=False,
                found=f"{name} = {value} there",
                remedy=f"ALTER {where} RESET {name};",
            )
        )
    return found


def _share(settings: Mapping[str, str], version: int, share: float, calls_per_s: float | None) -> LogNeed:
    name = "a share of the fast ones"
    if share <= 0:
        return LogNeed(name=name, ok=True, found="none of them is wanted")
    if version < SAMPLES_SINCE:
        return LogNeed(name=name, ok=False, found="servers before 13 log no share of fast executions")
    ok = settings.get("log_min_duration_sample") == "0" and _rate(settings) >= share
    return LogNeed(
        name=name,
        ok=ok,
        found=f"log_min_duration_sample = {settings.get('log_min_duration_sample', 'unknown')}, "
        f"log_statement_sample_rate = {settings.get('log_statement_sample_rate', 'unknown')}",
        remedy=""
        if ok
        else f"{setting('log_statement_sample_rate', f'{share:g}')}\n{setting('log_min_duration_sample', '0')}",
        cost=entries_cost(None if calls_per_s is None else calls_per_s * share),
    )


def _plans(settings: Mapping[str, str], slow: str) -> LogNeed:
    threshold = settings.get("auto_explain.log_min_duration")
    loaded = threshold is not None  # its settings are there only where the library is
    ok = loaded and threshold != "-1"
    told = f"{setting('auto_explain.log_min_duration', slow)}\n{setting('auto_explain.log_format', 'json')}"
    return LogNeed(
        name="their plans",
        ok=ok,
        found=f"auto_explain.log_min_duration = {threshold if loaded else 'not loaded'}",
        remedy="" if ok else told if loaded else f"{preloading(settings, 'auto_explain')}\n{told}",
        cost="without auto_explain.log_analyze next to nothing; with it, every step of every statement is timed",
    )


def entries_cost(entries_per_s: float | None) -> str:
    """An estimate in words, from what an entry takes."""
    if entries_per_s is None:
        return "not known before statements are counted"
    megabytes = entries_per_s * BYTES_PER_ENTRY * SECONDS_PER_DAY / 1e6
    share = entries_per_s * CORE_US_PER_ENTRY / 1e6
    return f"about {entries_per_s:.3g} entries a second: {megabytes:.3g} MB of log a day, {share * 100:.2g}% of a core (estimate)"


def _rate(settings: Mapping[str, str]) -> float:
    try:
        return float(settings.get("log_statement_sample_rate", "0"))
    except ValueError:
        return 0.0


def _setting(settings: Mapping[str, str], name: str, wanted: str, what: str, *, restart: bool = False) -> LogNeed:
    ok = settings.get(name) == wanted
    remedy = "" if ok else setting(name, wanted, restart=restart)
    return LogNeed(name=what, ok=ok, found=f"{name} = {settings.get(name, 'unknown')}", remedy=remedy)


def _threshold(settings: Mapping[str, str], name: str, wanted: str, what: str) -> LogNeed:
    """Any threshold will do that lies at or below the wanted one."""
    try:
        found = float(settings.get(name, "-1"))
    except ValueError:
        found = -1.0
    ok = 0 <= found <= float(wanted)
    return LogNeed(
        name=what, ok=ok, found=f"{name} = {settings.get(name, 'unknown')}", remedy="" if ok else setting(name, wanted)
    )
