"""Which single executions are kept, and for how many each one stands."""

from collections.abc import Iterable
from dataclasses import dataclass
from zlib import crc32

from faena.core.logged import CaptureRules, Execution


@dataclass(frozen=True, slots=True)
class LoggedShare:
    """What of its executions a server logs: all from `all_from_ms` on, of those from `some_from_ms` on a share.

    None: never. As log_min_duration_statement, log_min_duration_sample and log_statement_sample_rate say.
    """

    all_from_ms: float | None = None
    some_from_ms: float | None = None
    share: float = 1.0

    def of(self, took_ms: float) -> float:
        """The share of such executions that is logged. One that should not be there at all is taken for certain."""
        if self.all_from_ms is not None and took_ms >= self.all_from_ms:
            return 1.0
        if self.some_from_ms is not None and took_ms >= self.some_from_ms and self.share > 0:
            return self.share
        return 1.0


def logged_share(settings: dict[str, str]) -> LoggedShare:
    """From the server's settings, -1 meaning never."""

    def threshold(name: str) -> float | None:
        try:
            value = float(settings.get(name, "-1"))
        except ValueError:
            return None
        return None if value < 0 else value

    try:
        share = float(settings.get("log_statement_sample_rate", "1"))
    except ValueError:
        share = 1.0
    return LoggedShare(threshold("log_min_duration_statement"), threshold("log_min_duration_sample"), share)


def chosen(executions: Iterable[Execution], rules: CaptureRules, logged: LoggedShare) -> list[Execution]:
    """Those to keep, each with its weight: one over the probability of being both logged and kept.

    The choice depends on the execution alone, so that a log that is read twice yields the same ones.
    """
    kept = []
    for one in executions:
        seen = logged.of(one.took_ms)
        if one.took_ms >= rules.slow_ms:
            kept.append(one._replace(weight=1 / seen))
            continue
        if one.execute_ms is None and (one.parse_ms is not None or one.bind_ms is not None):
            continue  # a phase whose execution was not logged with it is no quick execution
        keep = min(1.0, rules.fast_share / seen)
        if keep > 0 and crc32(f"{one.pid} {one.ended} {one.place}".encode()) < keep * 2**32:
            kept.append(one._replace(weight=1 / (seen * keep)))
    return kept
