"""What a wait event means, whatever the engine."""

from dataclasses import dataclass

from faena.core.waits.kinds import WaitKind


@dataclass(frozen=True, slots=True, kw_only=True)
class WaitMeaning:
    """`known` is False where only the event's type could be explained; versions are majors of the engine, inclusive."""

    wait_type: str
    event: str
    kind: WaitKind
    meaning: str
    causes: tuple[str, ...]
    look_next: tuple[str, ...]
    rules_out: tuple[str, ...]
    known: bool
    first_version: int = 0
    last_version: int = 0
    also_called: tuple[str, ...] = ()
