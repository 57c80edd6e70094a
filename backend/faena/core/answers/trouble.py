"""How much trouble a server is in, to put the worst first, and the sentences that say why."""

from collections.abc import Sequence
from itertools import chain

from faena.core.answers.evidence import Evidence, Rule
from faena.core.answers.signs.deadlocks_lately import deadlocks_lately
from faena.core.answers.signs.lock_waits import lock_waits
from faena.core.answers.signs.many_wait import many_wait
from faena.core.answers.signs.more_run_than_usual import more_run_than_usual
from faena.core.answers.signs.more_than_cores import more_than_cores
from faena.core.answers.signs.more_wait_than_usual import more_wait_than_usual
from faena.core.answers.signs.replay_lag import replay_lag
from faena.core.answers.signs.unreachable import unreachable
from faena.core.findings import Finding

SIGNS: tuple[Rule, ...] = (
    lock_waits, more_than_cores, more_run_than_usual, many_wait, more_wait_than_usual, replay_lag, deadlocks_lately,
)  # fmt: skip


def troubles(evidence: Evidence, signs: Sequence[Rule] = SIGNS) -> list[Finding]:
    """The heaviest first; none where all is quiet. Of a server that nobody can see, that alone."""
    found = list(unreachable(evidence))
    if not found:
        found = list(chain.from_iterable(sign(evidence) for sign in signs))
    return sorted(found, key=lambda one: (-one.weight, one.sentence))


def score(found: Sequence[Finding]) -> float:
    """Sessions that have it worse than usual, roughly; 0 is quiet."""
    return sum(one.weight for one in found)
