"""The verdict of a comparison in a sentence, with its figures."""

from math import isinf

from faena.core.answers.proof.differences import Scale
from faena.core.answers.proof.rates import RateChange
from faena.core.answers.proof.sides import Aim, Compared, Group, Question
from faena.core.answers.proof.verdicts import Verdict, by_how_much, within
from faena.core.numbers import took


def sentence_of(main: Compared, question: Question, problem: str) -> str:
    """The verdict in a sentence; `problem` says why the windows cannot be compared."""
    verdict = main.judged.verdict
    if verdict is Verdict.NOT_COMPARABLE:
        return f"Not comparable: {problem}."
    if verdict is Verdict.TOO_EARLY and problem:
        return f"Too early to tell: {problem}."
    if main.rate is not None:
        return _rate_sentence(main.rate, verdict, question)
    assert main.difference is not None
    what = question.about or ("sessions that wait" if question.aim is Aim.LOAD else "the same calls")
    if main.group is Group.STATEMENT:
        of = f", one of {question.about}," if question.about.startswith("statements") else ""
        what = f"calls of “{main.label}”{of}"
    if main.difference.scale is Scale.DIFFERENCE:
        figures = f"{main.difference.before:.3g} before, {main.difference.after:.3g} after ({within(main.difference)})"
        words = {
            Verdict.BETTER: f"Better: {what}: {figures}",
            Verdict.WORSE: f"Worse: {what}: {figures}",
            Verdict.SAME: f"No real difference: {what}: {figures}",
            Verdict.TOO_EARLY: f"Too early to tell: {what}: {figures}",
        }
        return words.get(verdict, f"It cannot be told: {what}: {figures}") + "."
    much, interval = by_how_much(main.difference), within(main.difference)
    around = f" (95%: {interval})" if interval and not isinf(main.difference.change) else ""
    if verdict is Verdict.BETTER:
        return f"Better, {much}: {what} take {much} less time{around}."
    if verdict is Verdict.WORSE:
        return f"Worse, {much}: {what} take {much} more time{around}."
    low, high = main.difference.bounds()
    if verdict is Verdict.SAME:
        return f"No real difference: {what} take as much time as before (95%: {_percent(low)} to {_percent(high)})."
    span = f"by anything from {_percent(low)} to {_percent(high)}" if high < 100 else "by any factor"
    lead = "Too early to tell" if verdict is Verdict.TOO_EARLY else "It cannot be told"
    return f"{lead}: the time that {what} take may have changed {span}."


def _percent(ratio: float) -> str:
    """By how much more or less, with a digit more where it is little."""
    return f"{ratio - 1:+.1%}" if abs(ratio - 1) < 0.095 else f"{ratio - 1:+.0%}"


def _rate_sentence(change: RateChange, verdict: Verdict, question: Question) -> str:
    what = question.about or question.key.replace("_", " ")
    was, now = change.an_hour
    none = change.none_by_chance
    if not change.after and none is not None:
        chance = f"{none:.2g}" if none >= 0.0001 else "less than 0.0001"
        since = f"none since, of {change.before} in {took(change.before_s * 1000)} before; by chance that has a probability of {chance}"
        return f"{'Better' if verdict is Verdict.BETTER else verdict.label.capitalize()}: {what}: {since}."
    if not change.before and not change.after:
        return f"No real difference: {what}: none before, none after."
    return f"{verdict.label.capitalize()}: {what}: {was:.3g} an hour before, {now:.3g} after."
