"""Each measure that two windows have in common, with its difference and its verdict."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from faena.core.answers.proof.chances import corrected
from faena.core.answers.proof.costs import cost_of_calls
from faena.core.answers.proof.loads import SLACK_SESSIONS, load_difference
from faena.core.answers.proof.rates import rate_change
from faena.core.answers.proof.sides import Compared, Group, Question, Side
from faena.core.answers.proof.verdicts import Judged, Method, Verdict, judged, judged_rate

MOST_STATEMENTS = 40


def measures(before: Side, after: Side, question: Question) -> list[Compared]:
    """All that both windows hold, not judged yet."""
    found = [one for key in _keys(before.load, after.load) if (one := load(key, before, after))]
    found += _statements(before, after, question)
    for key in _keys(before.requests, after.requests):
        first, second = before.requests.get(key), after.requests.get(key)
        if first is not None and second is not None:
            found.append(
                Compared(
                    group=Group.REQUEST, key=key, label=second.label, unit="ms", method=Method.WELCH,
                    difference=cost_of_calls(first.work, second.work),
                )
            )  # fmt: skip
    found += [one for key in _keys(before.happenings, after.happenings) if (one := happening(key, before, after))]
    for key in _keys(before.machine, after.machine):
        was, now = before.machine.get(key), after.machine.get(key)
        if was is not None and now is not None:
            found.append(
                Compared(
                    group=Group.MACHINE, key=key, label=now.label, unit=now.unit, method=Method.BOOTSTRAP,
                    difference=load_difference(was.values, now.values, now.least), up_is_worse=now.up_is_worse,
                )
            )  # fmt: skip
    return found


def _statements(before: Side, after: Side, question: Question) -> list[Compared]:
    """Those that took most time in either window and ran in both."""
    both = list(before.works.keys() & after.works.keys())
    both.sort(key=lambda q: (-float(before.works[q].ms.sum()) - float(after.works[q].ms.sum()), q))
    return [
        Compared(
            group=Group.STATEMENT, key=str(q), label=question.texts.get(q, f"statement {q}"), unit="ms",
            method=Method.WELCH, difference=told,
        )
        for q in both[:MOST_STATEMENTS]
        if (told := cost_of_calls(before.works[q], after.works[q])) is not None
    ]  # fmt: skip


def load(key: str, before: Side, after: Side) -> Compared | None:
    """Sessions of one kind of load; None where it was seen in neither window."""
    was, now = before.load.get(key), after.load.get(key)
    one = now or was
    if one is None:
        return None
    # A kind that was not seen in one window at all was none there, as long as samples were taken.
    lengths = [max((len(kind.values) for kind in side.load.values()), default=0) for side in (before, after)]
    first = was.values if was is not None else np.zeros(lengths[0])
    second = now.values if now is not None else np.zeros(lengths[1])
    return Compared(
        group=Group.LOAD, key=key, label=one.label, unit="sessions", method=Method.BOOTSTRAP,
        difference=load_difference(first, second, SLACK_SESSIONS),
    )  # fmt: skip


def happening(key: str, before: Side, after: Side) -> Compared | None:
    """How often something happened; None where the log was not read."""
    change = rate_change(before.happenings.get(key, ()), after.happenings.get(key, ()), before.logged_s, after.logged_s)
    if change is None:
        return None
    return Compared(
        group=Group.HAPPENING, key=key, label=key.replace("_", " "), unit="per_hour", method=Method.RATES, rate=change
    )


def _keys(*sides: Mapping[str, object]) -> list[str]:
    return list(dict.fromkeys(key for side in sides for key in side))


def with_verdicts(found: Sequence[Compared], after: Side, growing: bool) -> list[Compared]:
    """Each by its chance, corrected for how many there are."""
    raw = [one.difference.chance if one.difference else one.rate.chance if one.rate else 1.0 for one in found]
    told = []
    for one, chance in zip(found, corrected(raw), strict=True):
        if one.difference is not None:
            verdict = judged(
                one.difference, chance, after.window.length_ms / 1000, growing=growing, up_is_worse=one.up_is_worse
            )
        elif one.rate is not None:
            verdict = judged_rate(one.rate, chance, growing=growing)
        else:
            verdict = Judged(verdict=Verdict.UNKNOWN)
        told.append(replace(one, chance=chance, judged=verdict))
    return told
