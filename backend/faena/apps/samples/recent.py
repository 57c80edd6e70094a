"""The last minutes of many servers at once, for whoever looks at all of them every other second."""

from collections.abc import Mapping
from dataclasses import dataclass
from threading import Lock

from faena.apps.samples.hours import read_frame
from faena.apps.samples.rows import copy_frames
from faena.apps.servers.holdings import Held
from faena.core.sampling.growing import GrowingFrame
from faena.core.series.window import Window
from faena.core.sessions.frame import SampleFrame
from faena.core.units import EpochMs


@dataclass(slots=True)
class _Recent:
    rewrites: int
    recodes: int
    newest_ms: int
    start_ms: int
    growing: GrowingFrame


class RecentFrames:
    """What was read stays, and what is new of all servers comes by one question. Safe for threads."""

    def __init__(self) -> None:
        self._kept: dict[int, _Recent] = {}
        self._lock = Lock()

    def forget(self) -> None:
        """For tests that empty the store between them."""
        with self._lock:
            self._kept.clear()

    def read(self, held: Mapping[int, Held], window: Window) -> dict[int, SampleFrame]:
        """Samples of the window by server; those that do not grow are left as they are."""
        with self._lock:
            for server, now in held.items():
                kept = self._kept.get(server)
                changed = now.recoded_since(kept.recodes) if kept else None
                if kept is None or kept.rewrites != now.rewrites or kept.start_ms > window.start or changed == 0:
                    self._kept[server] = _begun(server, window, now)
                elif changed is not None:
                    _back_to(kept, changed, now)
            asked = {server: self._kept[server] for server in held}
            behind = {server: one.newest_ms for server, one in asked.items() if held[server].newest_ms > one.newest_ms}
            for server, later in copy_frames(behind).items():
                one = asked[server]
                one.growing.append(later)
                one.newest_ms = int(later.tick_ms[-1])
            for one in asked.values():
                _forget(one, window)
            return {server: one.growing.frame.within(window) for server, one in asked.items()}


def _begun(server: int, window: Window, held: Held) -> _Recent:
    frame = read_frame(server, window, held)
    newest = int(frame.tick_ms[-1]) if len(frame.tick_ms) else min(held.newest_ms, window.start)
    return _Recent(held.rewrites, held.recodes, newest, window.start, GrowingFrame(frame))


def _back_to(one: _Recent, since_ms: int, held: Held) -> None:
    """Samples from a moment on have changed: they are dropped here, and read again."""
    one.growing = one.growing.before(since_ms)
    one.newest_ms, one.recodes = max(one.start_ms - 1, min(one.newest_ms, since_ms - 1)), held.recodes


def _forget(one: _Recent, window: Window) -> None:
    """What has left the window, once that is as much as it holds."""
    frame = one.growing.frame
    if len(frame.tick_ms) and frame.tick_ms[0] < window.start - window.length_ms:
        one.start_ms = window.start
        one.growing = GrowingFrame(frame.within(Window(start=window.start, end=EpochMs(one.newest_ms + 1))))


recent = RecentFrames()
forget_caches = recent.forget
