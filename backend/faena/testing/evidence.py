"""Made-up evidence for rules: a quiet server, but for what a test says."""

from dataclasses import dataclass

from faena.core.answers.evidence import Loads, Reach, UsualMost, VitalsLately
from faena.core.series.window import Window
from faena.core.units import EpochMs
from faena.testing.builders import START

MINUTE = Window(start=START, end=EpochMs(START + 60_000))


@dataclass(frozen=True, slots=True, kw_only=True)
class MadeUpEvidence:
    """Implements `core.answers.evidence.Evidence`."""

    reachable: bool = True
    state_words: str = ""
    running: float = 1.0
    waiting: float = 0.2
    blocked: float = 0.0
    cores: int | None = 8
    usual_waiting_high: float = 1.0
    usual_running_high: float = 3.0
    lag_ms: float | None = None
    deadlocks: float = 0.0
    server_id: int = 7
    window: Window = MINUTE

    def reach(self) -> Reach:
        return Reach(known=self.reachable, words=self.state_words)

    def loads(self) -> Loads:
        return Loads(running=self.running, waiting=self.waiting, blocked=self.blocked)

    def usual_most(self) -> UsualMost:
        return UsualMost(running=self.usual_running_high, waiting=self.usual_waiting_high)

    def vitals(self) -> VitalsLately:
        return VitalsLately(deadlocks=self.deadlocks, lag_ms=self.lag_ms)
