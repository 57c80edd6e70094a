"""Reads what PostgreSQL logs of a deadlock, in whatever language."""

import re
from collections.abc import Mapping

from faena.core.deadlocks.report import MAX_PARTIES, ROWS, BadReport, Party, Report, ReportGrammar, Wanted
from faena.core.logged import LogEvent
from faena.core.sql.names import table_changed_by
from faena.core.units import Pid

# In another language the words differ, yet not the order of the figures, nor the names of modes.
_MODE = re.compile(r"\b[A-Z]\w{0,40}Lock\b")
_PIDS = re.compile(r"\d{1,10}")
_ENGLISH = re.compile(
    r"^Process (?P<pid>\d{1,10}) waits for (?P<mode>\w{1,60}) on (?P<thing>.{1,300}); blocked by process (?P<ahead>\d{1,10})\.$"
)
MOST_EDGE = 500  # characters of a line that tells who waits for whom; it holds a mode, a thing and two processes
_SPOKEN = re.compile(r"^\D{0,20}(?P<pid>\d+)\D{0,3}: ")
_TUPLE = re.compile(r"\((\d+),(\d+)\)\D*(\d+)?")
_RELATION = re.compile(r"(\d+)\D+(\d+)")
_IN_RELATION = re.compile(r'"((?:[^"\n])+)"')
_INNER_BEGINS, _INNER_ENDS = '"SELECT 1 FROM ONLY ', 'FOR KEY SHARE OF x"'


def read_report(event: LogEvent, names: Mapping[int, str] | None = None) -> Report:
    """From the log's entry. `names` are those of relations, by number. Raises BadReport when it tells of no circle."""
    lines = event.detail.split("\n")
    edges: list[tuple[int, Wanted, int]] = []
    for line in lines:
        edge = _edge(line) if len(edges) < MAX_PARTIES else None
        # The circle is told first, and closes: whatever looks like it further down is somebody's statement.
        if edge is None or (edges and edges[-1][2] != edge[0]):
            break
        edges.append(edge)
        if edges[-1][2] == edges[0][0]:
            break
    if not edges or edges[-1][2] != edges[0][0]:
        raise BadReport(f"the entry names no circle of sessions: {event.detail!r:.80}")
    if event.pid and event.pid not in [pid for pid, _, _ in edges]:
        raise BadReport(f"process {event.pid}, which wrote the entry, is not part of the circle it names")
    spoken = _statements("\n".join(lines[len(edges) :]), [pid for pid, _, _ in edges], event)
    victim = edges[0][0] == event.pid or event.pid == 0
    parties = tuple(
        _party(Pid(pid), wanted, Pid(ahead), spoken.get(pid, ""), event if i == 0 and victim else None, names or {})
        for i, (pid, wanted, ahead) in enumerate(edges)
    )
    return Report(at=event.at, parties=parties, raw=_raw(event), coded=event.sqlstate == "40P01")


def _edge(line: str) -> tuple[int, Wanted, int] | None:
    """Who waits for what, and for whom; in another language by the order of figures and the name of the mode."""
    if len(line) > MOST_EDGE:
        return None
    if match := _ENGLISH.match(line):
        return int(match["pid"]), _wanted(match["mode"], match["thing"].strip(" ;")), int(match["ahead"])
    first, numbers = _PIDS.search(line), list(_PIDS.finditer(line))
    mode = _MODE.search(line, first.end() + 1) if first else None
    if first is None or mode is None or numbers[-1].start() <= mode.end():
        return None
    thing = line[mode.end() : numbers[-1].start() - 1]
    return int(first[0]), _wanted(mode[0], thing.strip(" ;")), int(numbers[-1][0])


def _wanted(mode: str, thing: str) -> Wanted:
    """The server's words for a thing, in English or by their structure."""
    if "[" in thing:
        return Wanted(mode, "advisory", _advisory(thing))
    if match := _TUPLE.search(thing):
        return Wanted(mode, "tuple", thing, int(match[3] or 0))
    if re.search(r"\d+/\d+", thing):
        return Wanted(mode, "virtualxid", thing)
    numbers = re.findall(r"\d+", thing)
    if thing.startswith("speculative token"):
        return Wanted(mode, "spectoken", thing)
    if thing.startswith(("page", "extension")):
        return Wanted(
            mode,
            "extend" if thing.startswith("extension") else "page",
            thing,
            int(numbers[-2]) if len(numbers) > 1 else 0,
        )
    if match := _RELATION.search(thing):
        return Wanted(
            mode, "object" if len(numbers) > 2 else "relation", thing, int(match[1]) if len(numbers) == 2 else 0
        )
    return Wanted(mode, "transactionid", thing)


_KEY = re.compile(r"\[(\d+),(\d+),(\d+),([12])\]")


def _advisory(thing: str) -> str:
    """By the key that programs know it by: the server tells the halves of one number, or two numbers."""
    key = _KEY.search(thing)
    if key is None:
        return thing
    high, low, kind = int(key[2]), int(key[3]), key[4]
    if kind == "1":
        number = (high << 32) | low
        return f"advisory lock {number - (1 << 64) if number >= 1 << 63 else number}"
    return f"advisory lock ({_signed(high)}, {_signed(low)})"


def _signed(number: int) -> int:
    return number - (1 << 32) if number >= 1 << 31 else number


def _statements(told: str, pids: list[int], event: LogEvent) -> dict[int, str]:
    """Each party's statement. Texts can hold anything, also lines that look like the next party's.

    They stand in the order of the circle, and the victim's is known from the entry itself: it is taken as long as it
    is the same. Of what is left the last line that can begin a party's text does, since a text that imitates others
    cannot know what comes behind it.
    """
    marks = _marks(told, pids)
    starts: dict[int, int] = {}
    floor = 0
    first = pids[0]
    if first in marks and event.statement and event.pid in (0, first):
        begun = marks[first][0]
        floor = begun[1] + _common(told[begun[1] :], event.statement)
    at = len(told) + 1
    for pid in reversed(pids[1:]):
        possible = [mark for mark in marks.get(pid, ()) if floor <= mark[0] < at]
        if possible:
            starts[pid] = at = possible[-1][0]
    found: dict[int, str] = {}
    ends = [*(starts[pid] for pid in pids[1:] if pid in starts), len(told) + 1]
    for pid in pids:
        if pid == first:
            begin = marks[first][0][1] if first in marks else None
            end = ends[0]
        else:
            begin = next((text for mark, text in marks.get(pid, ()) if mark == starts.get(pid)), None)
            end = next((one for one in ends if pid in starts and one > starts[pid]), len(told) + 1)
        if begin is not None:
            found[pid] = told[begin : max(begin, end - 1)].strip()
    return found


def _marks(told: str, pids: list[int]) -> dict[int, list[tuple[int, int]]]:
    """By pid, where lines begin that can be its own, and where the text in them begins."""
    found: dict[int, list[tuple[int, int]]] = {}
    at = 0
    for line in told.split("\n"):
        match = _SPOKEN.match(line)
        if match and int(match["pid"]) in pids:
            found.setdefault(int(match["pid"]), []).append((at, at + match.end()))
        at += len(line) + 1
    return found


def _common(text: str, other: str) -> int:
    length = min(len(text), len(other))
    return next((i for i in range(length) if text[i] != other[i]), length)


def _party(
    pid: Pid, wanted: Wanted, ahead: Pid, statement: str, event: LogEvent | None, names: Mapping[int, str]
) -> Party:
    if event is not None and event.statement:
        statement = event.statement
    made = Party(pid=pid, wants=wanted, waits_for=ahead, statement=statement)
    if event is not None:
        made = Party(
            pid=pid, wants=wanted, waits_for=ahead, statement=statement, context=event.context, program=event.program,
            user=event.user, database=event.database, client=event.client,
        )  # fmt: skip
    return named(made, names)


def named(party: Party, names: Mapping[int, str]) -> Party:
    """With the table of what it wanted, as far as number, context or statement tell."""
    wants = party.wants
    table = names.get(wants.relation, "") if wants.relation else ""
    if not table and wants.lock_type in {*ROWS, "relation", "extend"}:
        table = _table_in(party.context) or table_changed_by(party.statement)
    return Party(**{**{n: getattr(party, n) for n in Party.__dataclass_fields__}, "wants": wants._replace(table=table)})


def _table_in(context: str) -> str:
    """Of a check of a foreign key the table it looks into; else the relation that the context names first."""
    told = context.replace('\\"', '"')
    begins, ends = told.find(_INNER_BEGINS), told.rfind(_INNER_ENDS)
    if 0 <= begins < ends:
        return table_changed_by(told[begins + 1 : ends]).removeprefix("public.")
    if "index tuple" in context:
        return ""  # it names the index, and the statement the table
    first = context.split("\n", 1)[0]
    found = _IN_RELATION.search(first)
    return found[1] if found and "(" in first.split('"', 1)[0] else ""


def _raw(event: LogEvent) -> str:
    """The record as the log had it, put together again."""
    parts = [f"{event.severity or 'ERROR'}:  {event.message}"]
    parts += [
        f"{word}:  {text}"
        for word, text in (("DETAIL", event.detail), ("CONTEXT", event.context), ("STATEMENT", event.statement))
        if text
    ]
    return "\n".join(parts)


REPORTS = ReportGrammar(read=read_report, named=named)
