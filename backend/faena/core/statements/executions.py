"""Which single executions are kept, and for how many each one stands."""

import json
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from zlib import crc32

from faena.core.logged import CaptureRules, Execution


@dataclass(frozen=True, slots=True)
class LoggedShare:
    """What of its executions a server logs: all from `all_from_ms` on, of those from `some_from_ms` on a share.

    And of all, however quick, those in a share of transactions. None: never. As log_min_duration_statement,
    log_min_duration_sample, log_statement_sample_rate and log_transaction_sample_rate say. `of_some` has what is set
    otherwise for a role and a database, either of which may be any, "".
    """

    all_from_ms: float | None = None
    some_from_ms: float | None = None
    share: float = 1.0
    transactions: float = 0.0
    of_some: Mapping[tuple[str, str], "LoggedShare"] = field(default_factory=dict)

    def of(self, took_ms: float, user: str = "", database: str = "") -> float:
        """The share of such executions that is logged. One that should not be there at all is taken for certain."""
        for key in ((user, database), (user, ""), ("", database)) if self.of_some else ():
            if key in self.of_some:
                return self.of_some[key].of(took_ms)
        if self.all_from_ms is not None and took_ms >= self.all_from_ms:
            return 1.0
        some = self.share if self.some_from_ms is not None and took_ms >= self.some_from_ms else 0.0
        return some + self.transactions - some * self.transactions or 1.0


def logged_share(settings: Mapping[str, str]) -> LoggedShare:
    """From the server's settings, -1 meaning never; "of_some" has those of roles and databases, as JSON."""
    of_some: dict[tuple[str, str], LoggedShare] = {}
    others = settings_of_some(settings)
    for key in dict.fromkeys((role, database) for role, database, _, _ in others):
        # What is set for the role in the database counts before what is for the role, and that before the database.
        wider = [(role, database) for role, database in ((key[0], ""), ("", key[1])) if role or database]
        own = dict(settings)
        for at in (*reversed(wider), key):
            own |= {name: value for role, database, name, value in others if (role, database) == at}
        of_some[key] = _share_of(own)
    return replace(_share_of(settings), of_some=of_some)


def settings_of_some(settings: Mapping[str, str]) -> list[tuple[str, str, str, str]]:
    """Role and database ("" any), name and value of what is set for them alone."""
    try:
        told = json.loads(settings.get("of_some") or "[]")
    except ValueError:
        return []
    return [(role or "", database or "", name, value) for role, database, name, value in told]


def _share_of(settings: Mapping[str, str]) -> LoggedShare:
    def threshold(name: str) -> float | None:
        value = _milliseconds(settings.get(name, "-1"))
        return None if value is None or value < 0 else value

    return LoggedShare(
        threshold("log_min_duration_statement"),
        threshold("log_min_duration_sample"),
        _number(settings.get("log_statement_sample_rate", "1"), 1.0),
        _number(settings.get("log_transaction_sample_rate", "0"), 0.0),
    )


_UNITS = {"": 1.0, "us": 0.001, "ms": 1.0, "s": 1000.0, "min": 60_000.0, "h": 3_600_000.0, "d": 86_400_000.0}


def _milliseconds(text: str) -> float | None:
    """A time as it may be written for a role: with or without a unit."""
    told = re.fullmatch(r"\s*(-?\d+(?:\.\d+)?)\s*([a-z]*)\s*", text)
    return float(told[1]) * _UNITS[told[2]] if told and told[2] in _UNITS else None


def _number(text: str, otherwise: float) -> float:
    try:
        return float(text)
    except ValueError:
        return otherwise


def chosen(executions: Iterable[Execution], rules: CaptureRules, logged: LoggedShare) -> list[Execution]:
    """Those to keep, each with its weight: one over the probability of being both logged and kept.

    The choice depends on the execution alone, so that a log that is read twice yields the same ones.
    """
    kept = []
    for one in executions:
        seen = logged.of(one.took_ms, one.user, one.database)
        if one.took_ms >= rules.slow_ms:
            kept.append(one._replace(weight=1 / seen))
            continue
        if one.execute_ms is None and (one.parse_ms is not None or one.bind_ms is not None):
            continue  # a phase whose execution was not logged with it is no quick execution
        keep = min(1.0, rules.fast_share / seen)
        if keep > 0 and crc32(f"{one.pid} {one.ended} {one.place}".encode()) < keep * 2**32:
            kept.append(one._replace(weight=1 / (seen * keep)))
    return kept
