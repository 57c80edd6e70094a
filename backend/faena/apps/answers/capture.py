"""How a server is captured, what that costs it, what its log needs, and how the reading of it goes."""

from collections.abc import Sequence
from dataclasses import dataclass

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser

from faena.apps.samples import selectors as samples
from faena.apps.servers import capture
from faena.apps.servers import selectors as servers
from faena.apps.servers.engines import profile_of
from faena.apps.servers.models import Server
from faena.apps.statements import logged
from faena.apps.statements import selectors as statements
from faena.core.engines.inquiry import LogNeed
from faena.core.engines.profile import Capability, EngineProfile
from faena.core.logged import CaptureRules
from faena.core.series.window import Window
from faena.core.units import EpochMs

MEASURED_MS = 10 * 60_000


@dataclass(frozen=True, slots=True, kw_only=True)
class CaptureState:
    """`form` is what can be set. `sample_ms`: how long an answer to a sample takes, None while nothing was measured.

    Shares are of a core; `log_refused` says why the log cannot be read, "" when it can.
    """

    form: capture.CaptureForm
    name: str
    address: str
    engine: EngineProfile
    sample_ms: float | None
    cost_share: float | None
    close_cost_share: float | None
    close_watch_until: int | None
    log_needs: Sequence[LogNeed]
    log_state: logged.LogState
    log_refused: str

    @property
    def can(self) -> list[Capability]:
        """What can be done with the server."""
        return sorted(self.engine.capabilities)


def capture_state(server_id: int, now: int) -> CaptureState:
    """Raises NotFound."""
    return _state(servers.server(server_id), now)


def sample_ms(server_id: int, now: int) -> float | None:
    """The median of what an answer to a sample took lately."""
    cost = samples.sample_cost(server_id, Window(start=EpochMs(now - MEASURED_MS), end=EpochMs(now)))
    return cost[0] if cost else None


def set_capture(
    server_id: int, form: capture.CaptureForm, now: int, *, by: AbstractBaseUser | AnonymousUser
) -> CaptureState:
    """Raises NotFound, NotAllowed, BadInput."""
    server = servers.server(server_id)
    return _state(capture.set_capture(server, form, sample_ms(server_id, now), by=by), now)


def watch_closely(
    server_id: int, minutes: int, now: int, *, confirmed: bool, by: AbstractBaseUser | AnonymousUser
) -> CaptureState:
    """Raises NotFound, NotAllowed, BadInput."""
    server, took = servers.server(server_id), sample_ms(server_id, now)
    return _state(capture.watch_closely(server, minutes, took, now, confirmed=confirmed, by=by), now)


def _state(server: Server, now: int) -> CaptureState:
    took = sample_ms(server.pk, now)
    names = [name for name in capture.CaptureForm.__dataclass_fields__ if name != "confirmed"]
    return CaptureState(
        form=capture.CaptureForm(**{name: getattr(server, name) for name in names}),
        name=server.name,
        address=f"{server.host}:{server.port}",
        engine=profile_of(server),
        sample_ms=took,
        cost_share=capture.cost_share(took, server.period_ms),
        close_cost_share=capture.cost_share(took, capture.CLOSE_WATCH_MS),
        close_watch_until=server.close_watch_until_ms if server.close_watch_until_ms > now else None,
        log_needs=_needs(server, now),
        log_state=logged.state(server.pk, now),
        log_refused=servers.log_refusal(server),
    )


def _needs(server: Server, now: int) -> Sequence[LogNeed]:
    """What the server's log needs; nothing before it was connected once, or where its engine does not tell."""
    facts, log_needs = server.facts, profile_of(server).log_needs
    if log_needs is None or "settings" not in facts:
        return ()
    window = Window(start=EpochMs(now - MEASURED_MS), end=EpochMs(now))
    calls, covered = statements.calls_in(server.pk, window)
    rules = CaptureRules(slow_ms=server.slow_ms, fast_share=server.fast_share)
    return log_needs(facts["settings"], facts["version"], rules, calls / covered * 1000 if covered else None)
