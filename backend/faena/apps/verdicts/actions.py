"""Following what was changed or handled: begun, judged again, settled."""

from collections.abc import Collection

from faena.apps.servers.models import Server
from faena.apps.verdicts.models import Followed
from faena.core.answers.proof.comparing import Comparison
from faena.core.answers.proof.sides import Question
from faena.core.series.window import Window

CHANGE, LEAD, PATTERN = "change", "lead", "pattern"


def follow(server: Server, subject: str, subject_id: int, at_ms: int, before: Window, question: Question) -> Followed:
    """From now on it is judged as data comes; what is followed from the same moment stays as it is."""
    found, _ = Followed.objects.get_or_create(
        server=server, subject=subject, subject_id=subject_id, at_ms=at_ms,
        defaults={
            "before_start_ms": before.start, "before_end_ms": before.end, "aim": question.aim.value,
            "key": question.key, "about": question.about,
            "query_ids": None if question.statements is None else sorted(question.statements),
        },
    )  # fmt: skip
    return found


def stop(server_id: int, subject: str, subject_id: int) -> None:
    """It was opened again, or removed: there is nothing to prove."""
    Followed.objects.filter(server_id=server_id, subject=subject, subject_id=subject_id).delete()


def judged(row: Followed, found: Comparison, after: Window, now_ms: int, *, settled: bool) -> None:
    """Keep what was found."""
    row.verdict, row.sentence, row.told_at_ms = found.verdict.value, found.sentence, found.told_at
    row.after_end_ms, row.judged_ms, row.settled = after.end, now_ms, settled
    row.save(update_fields=["verdict", "sentence", "told_at_ms", "after_end_ms", "judged_ms", "settled"])


def still_followed(server_id: int) -> list[Followed]:
    """What is not settled, the one judged longest ago first."""
    return list(Followed.objects.filter(server_id=server_id, settled=False).order_by("judged_ms", "pk"))


def of(server_id: int, subject: str, ids: Collection[int]) -> dict[int, Followed]:
    """The newest of each subject."""
    rows = Followed.objects.filter(server_id=server_id, subject=subject, subject_id__in=ids).order_by("at_ms")
    return {one.subject_id: one for one in rows}


def forget_before(server_id: int, before_ms: int) -> None:
    """Drop what was followed from earlier moments."""
    Followed.objects.filter(server_id=server_id, at_ms__lt=before_ms).delete()
