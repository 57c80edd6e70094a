"""Two windows of a server compared: each measure with its difference, and one verdict of the whole."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

from faena.core.answers.proof.costs import cost_of_the_same_work
from faena.core.answers.proof.fairness import LEAST_DAYS, against, by_volume
from faena.core.answers.proof.measures import happening, load, measures, with_verdicts
from faena.core.answers.proof.sentences import sentence_of
from faena.core.answers.proof.sides import Aim, Compared, EarlierDay, Group, Question, Side
from faena.core.answers.proof.verdicts import Judged, Method, Verdict
from faena.core.numbers import count
from faena.core.units import EpochMs, QueryId

LEAST_SHARED = 0.5  # of the time, taken by statements that ran in both windows
LEAST_PART = 0.05  # of the time of all asked about, for one statement to speak for them
FIRST_WORD_S = 180.0  # without enough of it: how long the window after should be at least


@dataclass(frozen=True, slots=True, kw_only=True)
class Comparison:
    """`sentence` says the verdict with its figures; `reasons` what was taken into account. `told_at`: when too early ends."""

    verdict: Verdict
    sentence: str
    told_at: EpochMs | None
    main: Compared | None
    measures: Sequence[Compared]
    reasons: Sequence[str]
    days: int


def compare(before: Side, after: Side, question: Question, earlier: Sequence[EarlierDay] = ()) -> Comparison:
    """What differs, and whether it is better. `earlier` days are only of use where enough of them are known."""
    known = earlier if len(earlier) >= LEAST_DAYS else ()
    fair = _fair(measures(before, after, question), known)
    found = _explained(with_verdicts(fair, after, question.growing), before, after, len(known))
    reasons = _reasons(before, after, question, known)
    main, problem = _main(before, after, question, known)
    if main is None or (main.difference is None and main.rate is None):
        return _untold(after, question, found, reasons, problem, main)
    main = with_verdicts([main], after, question.growing)[0]
    if question.statements is not None and main.judged.verdict not in (Verdict.BETTER, Verdict.WORSE):
        single = _of_one_statement(before, after, question)
        main, problem = (single, "") if single is not None else (main, problem)
    problem = problem or _not_comparable(before, after, question, main, known)
    if problem and main.judged.verdict in (Verdict.BETTER, Verdict.WORSE, Verdict.SAME):
        soon = question.growing and not after.calls_s and not question.server_changed  # the next readings will tell
        main = replace(main, judged=Judged(verdict=Verdict.TOO_EARLY if soon else Verdict.NOT_COMPARABLE))
    wait = main.judged.told_after_s
    return Comparison(
        verdict=main.judged.verdict,
        sentence=sentence_of(main, question, problem),
        told_at=EpochMs(int(after.window.start + wait * 1000)) if wait is not None else None,
        main=main,
        measures=found,
        reasons=reasons,
        days=len(known),
    )


def _main(before: Side, after: Side, question: Question, earlier: Sequence[EarlierDay]) -> tuple[Compared | None, str]:
    """The measure that the verdict goes by, measured against earlier days, and why it cannot be compared."""
    if question.aim is Aim.HAPPENING:
        return happening(question.key, before, after), ""
    if question.aim is Aim.LOAD:
        found = load(question.key, before, after)
        return (
            against(found, [one.load[question.key] for one in earlier if question.key in one.load]) if found else None
        ), ""
    same = cost_of_the_same_work(before.works, after.works, before.counted_s, after.counted_s, question.statements)
    found = Compared(
        group=Group.WORK,
        key="",
        label="the same calls",
        unit="ms_per_s",
        method=Method.WELCH,
        difference=same.difference,
    )
    pairs = [_same_work_of(one, question.statements) for one in earlier]
    found = against(found, [one for one in pairs if one is not None])
    if same.difference is not None and min(same.shared_before, same.shared_after) < LEAST_SHARED:
        when, share = (
            ("before", same.shared_before) if same.shared_before < same.shared_after else ("after", same.shared_after)
        )
        return found, f"of the time {when}, only {share:.0%} was taken by statements that ran in both windows"
    return found, ""


def _of_one_statement(before: Side, after: Side, question: Question) -> Compared | None:
    """The one that differs most among those asked about, where what differs does so in one direction: an index makes one
    statement cheap, and beside others on its table that hardly shows. None where none differs."""
    found = [one for one in measures(before, after, question) if one.group is Group.STATEMENT]
    asked = [one for one in found if QueryId(int(one.key)) in (question.statements or ())]
    whole = [
        sum(float(w.ms.sum()) for q, w in side.works.items() if q in (question.statements or ()))
        for side in (before, after)
    ]
    told = [
        one for one in with_verdicts(asked, after, question.growing)
        if one.judged.verdict in (Verdict.BETTER, Verdict.WORSE) and _part(one, before, after, whole) >= LEAST_PART
    ]  # fmt: skip
    if len({one.judged.verdict for one in told}) != 1:
        return None
    return max(told, key=lambda one: abs(one.difference.change) if one.difference else 0.0)


def _part(one: Compared, before: Side, after: Side, whole: Sequence[float]) -> float:
    """Of the time that all asked about took, in the window in which it is more."""
    mine = [float(side.works[QueryId(int(one.key))].ms.sum()) for side in (before, after)]
    return max(part / all_of if all_of else 0.0 for part, all_of in zip(mine, whole, strict=True))


def _same_work_of(day: EarlierDay, only: Collection[QueryId] | None) -> tuple[float, float] | None:
    """Cost of the same calls before and after, on an earlier day."""
    both = [
        q for q in day.before.keys() & day.after.keys()
        if (only is None or q in only) and day.before[q].calls > 0 and day.after[q].calls > 0
    ]  # fmt: skip
    costs = [
        (
            (day.before[q].calls + day.after[q].calls) / 2 * day.before[q].total_ms / day.before[q].calls,
            (day.before[q].calls + day.after[q].calls) / 2 * day.after[q].total_ms / day.after[q].calls,
        )
        for q in both
    ]
    was, now = sum(one for one, _ in costs), sum(one for _, one in costs)
    return (was, now) if was > 0 and now > 0 else None


def _not_comparable(
    before: Side, after: Side, question: Question, main: Compared, earlier: Sequence[EarlierDay]
) -> str:
    """Why a real difference is no proof, or nothing."""
    if question.server_changed:
        return f"the server changed in between: {'; '.join(question.server_changed)}"
    if main.difference is None or question.aim is Aim.HAPPENING or len(earlier) >= LEAST_DAYS:
        return ""
    if not before.calls_s or not after.calls_s:
        unknown = "it is not known how much was asked of the server, so less load may be less work"
        return unknown if question.aim is Aim.LOAD else ""
    if not by_volume(main, before, after):
        return ""
    way = "fell" if after.calls_s < before.calls_s else "rose"
    return (
        f"calls {way} from {count(before.calls_s)} to {count(after.calls_s)} a second, which may explain it alone; "
        "compare with a window of about as many calls"
    )


def _fair(found: Sequence[Compared], earlier: Sequence[EarlierDay]) -> list[Compared]:
    """Loads against how they changed on earlier days."""
    told = []
    for one in found:
        pairs = [day.load[one.key] for day in earlier if one.group is Group.LOAD and one.key in day.load]
        told.append(against(one, pairs))
    return told


def _explained(found: Sequence[Compared], before: Side, after: Side, days: int) -> list[Compared]:
    """What goes with the number of calls proves nothing where it changed as they did."""
    return [
        replace(one, judged=Judged(verdict=Verdict.NOT_COMPARABLE))
        if one.judged.verdict in (Verdict.BETTER, Verdict.WORSE)
        and (one.group is Group.MACHINE or (one.group is Group.LOAD and days < LEAST_DAYS))
        and by_volume(one, before, after, least=0.0)
        else one
        for one in found
    ]


def _untold(
    after: Side,
    question: Question,
    measures: Sequence[Compared],
    reasons: Sequence[str],
    problem: str,
    main: Compared | None,
) -> Comparison:
    words = problem or "too little is known of one of the windows"
    if question.growing:
        at = EpochMs(int(after.window.start + max(FIRST_WORD_S, 1.5 * after.window.length_ms / 1000) * 1000))
        verdict, sentence = Verdict.TOO_EARLY, f"Too early to tell: {words}."
    else:
        at, verdict, sentence = None, Verdict.UNKNOWN, f"It cannot be told: {words}."
    return Comparison(
        verdict=verdict, sentence=sentence, told_at=at, main=main, measures=measures, reasons=reasons, days=0
    )


def _reasons(before: Side, after: Side, question: Question, earlier: Sequence[EarlierDay]) -> list[str]:
    found = []
    if before.calls_s and after.calls_s:
        found.append(f"{count(before.calls_s)} calls a second before, {count(after.calls_s)} after")
    if earlier:
        found.append(f"measured against how the same hours changed on {len(earlier)} earlier days")
    elif question.aim is not Aim.HAPPENING:
        found.append("too few earlier days are known to say how these hours usually differ")
    return found
