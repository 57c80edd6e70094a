"""What Faena says of each trouble of the demo, live: every program runs as in ./faena demo, one trouble at a time.

    ./faena bench troubles [NAME …]

The table goes to docs/diagnosis.md; where names are given, their rows alone.
"""

import os
import re
import sys
import time
from dataclasses import dataclass
from pathlib import Path

import django

django.setup()

from document import DOCUMENT, write_section  # noqa: E402
from faena.apps.answers.leads import leads_of  # noqa: E402
from faena.apps.servers import holdings  # noqa: E402
from faena.apps.servers.models import Server  # noqa: E402
from faena.core.answers.leads.choosing import Diagnosis  # noqa: E402
from faena.core.series.window import Window  # noqa: E402
from faena.core.units import EpochMs  # noqa: E402
from reporting import report  # noqa: E402
from tidewrack.troubles import TROUBLES, Trouble  # noqa: E402

BEGINS_S, WATCHED_S, ENDS_S = 10, 75, 15  # a survey of the tables each minute lies in it
BY_THE_MINUTE_S = 150  # of what sums of requests tell, which are of whole minutes that were judged
BEFORE_S = 130  # whole minutes of ordinary requests, before one that is told by what changed
SUMMED = ("cache-unasked",)
SECTION = "./faena bench troubles"
# Kind, where it may be seen as one or the other both, and the parts of the root that name what is at fault.
AT_FAULT: dict[str, tuple[str, dict[str, str]]] = {
    "idle-console": ("idle_transaction", {"program": "ops-console", "table": "deck_slot"}),
    "missing-index": ("missing_index", {"program": "gate-scan", "table": "booking", "column": "reference"}),
    "deadlocks": ("deadlock_pattern", {"program": "booking-web"}),
    "tiny-commits": ("commit_rate", {"program": "gate-scan"}),
    "report-spill": ("spill", {"program": "nightly-report"}),
    "one-by-one": ("repeated_statement", {"program": "manifest-export", "table": "passenger"}),
    "index-rebuild": ("idle_transaction lock_chain", {"program": "crew-planner", "table": "crew_roster"}),
    "cross-join": ("runaway_statement", {"program": "fare-engine"}),
    "slow-authority": ("external_layer", {}),
    "authority-off": ("external_layer", {}),
    "cache-unasked": ("cache_missing", {}),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Told:
    trouble: Trouble
    right: bool
    first: str


def told_of(trouble: Trouble, found: Diagnosis) -> Told:
    """Right when the first lead's kind is the one, and its root names each part that is at fault."""
    kind, root = AT_FAULT[trouble.name]
    if not found.leads:
        return Told(trouble=trouble, right=False, first=f"quiet: {found.ground}")
    claim = found.leads[0].claim
    named = all(getattr(claim.root, part) == name for part, name in root.items())
    return Told(trouble=trouble, right=claim.kind.value in kind.split() and named, first=claim.title)


def watch(trouble: Trouble, server: Server) -> Told:
    """The last seconds while it is on."""
    switch = Path(os.environ["FERRY_SWITCHES"]) / trouble.name
    if trouble.name in SUMMED:
        time.sleep(BEFORE_S)
    switch.write_text("bench")
    seconds = BY_THE_MINUTE_S if trouble.name in SUMMED else WATCHED_S
    try:
        time.sleep(BEGINS_S + seconds)
        newest = holdings.read(server.pk).newest_ms
        found, _ = leads_of(server.pk, Window(start=EpochMs(newest - 1000 * seconds), end=EpochMs(newest + 1000)))
        return told_of(trouble, found)
    finally:
        switch.unlink()
        time.sleep(ENDS_S)


def main(names: list[str]) -> None:
    """All troubles, or those named."""
    server = Server.objects.get(name="bookings-primary")
    told = [watch(one, server) for one in TROUBLES if not names or one.name in names]
    for one in told:
        print(f"{one.trouble.name}: {'right' if one.right else 'WRONG'}: {one.first}", file=sys.stderr)
    report("live troubles without the right first lead", sum(not one.right for one in told), "troubles", at_most=0)
    write_section(SECTION, table(rows_of(told)))


def rows_of(told: list[Told]) -> list[str]:
    """In Markdown, in the order of the troubles; those that were not looked at now as they stand in the document."""
    known = dict(re.findall(r"^(\| ([a-z-]+) \| .* \| (?:yes|no) \|)$", DOCUMENT.read_text(), flags=re.MULTILINE))
    rows = {name: row for row, name in known.items()}
    for one in told:
        right = "yes" if one.right else "no"
        rows[one.trouble.name] = f"| {one.trouble.name} | {one.trouble.story} | {one.first} | {right} |"
    return [rows[one.name] for one in TROUBLES if one.name in rows]


def table(rows: list[str]) -> str:
    """In Markdown."""
    right = sum(row.endswith("| yes |") for row in rows)
    head = (
        f"Of {len(rows)} troubles of the live demo, looked at for {WATCHED_S} s ({BY_THE_MINUTE_S} s where sums of requests by the "
        f"minute tell it) while every program goes on with its work, the first lead is right in {right}."
    )
    return "\n".join([head, "", "| trouble | what goes wrong | the first lead | right |", "|---|---|---|---|", *rows])


if __name__ == "__main__":
    main(sys.argv[1:])
