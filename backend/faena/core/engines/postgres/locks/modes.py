"""Lock modes: which exclude each other, and what they mean in words."""

from typing import Final

# Strength ascending, as in the server's documentation, chapter 13.3.1; the conflicts of each are its table 13.2.
MODES: Final = (
    "AccessShareLock", "RowShareLock", "RowExclusiveLock", "ShareUpdateExclusiveLock", "ShareLock",
    "ShareRowExclusiveLock", "ExclusiveLock", "AccessExclusiveLock",
)  # fmt: skip
REMEMBERED: Final = "SIReadLock"
SNAPSHOT: Final = "safe snapshot"  # no lock; the kind of thing such a wait is for
_CONFLICTS: Final[dict[str, frozenset[str]]] = {
    "AccessShareLock": frozenset(MODES[7:]),
    "RowShareLock": frozenset(MODES[6:]),
    "RowExclusiveLock": frozenset(MODES[4:]),
    "ShareUpdateExclusiveLock": frozenset(MODES[3:]),
    "ShareLock": frozenset((*MODES[2:4], *MODES[5:])),
    "ShareRowExclusiveLock": frozenset(MODES[2:]),
    "ExclusiveLock": frozenset(MODES[1:]),
    "AccessExclusiveLock": frozenset(MODES),
}
_DOES: Final = {
    "AccessShareLock": "read it",
    "RowShareLock": "lock rows of it",
    "RowExclusiveLock": "change rows of it",
    "ShareUpdateExclusiveLock": "maintain it, as VACUUM and CREATE INDEX CONCURRENTLY do",
    "ShareLock": "keep all others from changing it, as CREATE INDEX does",
    "ShareRowExclusiveLock": "be the only one to change it",
    "ExclusiveLock": "leave others nothing but reading it",
    "AccessExclusiveLock": "have it alone, as ALTER, DROP and TRUNCATE do",
}


def conflict(one: str, other: str) -> bool:
    """Whether two sessions cannot hold both on the same object. Modes that are not known conflict with all.

    What a serializable transaction has read (SIReadLock) stands in nobody's way: it is only remembered.
    """
    if REMEMBERED in (one, other):
        return False
    known = _CONFLICTS.get(one)
    return known is None or other not in _CONFLICTS or other in known


def strongest(modes: list[str]) -> str:
    """The mode of a list that excludes most; "" of none."""
    return max(modes, key=lambda mode: MODES.index(mode) if mode in MODES else len(MODES), default="")


def wants(lock_type: str, mode: str) -> str:
    """What a waiter wants to do, as the end of "wants to …"."""
    match lock_type:
        case "transactionid":
            return "change or lock a row that another transaction has"
        case "tuple":
            return "be the next to have the row" if mode == "ExclusiveLock" else "lock the row"
        case "virtualxid":
            return "see an older transaction end"
        case "safe snapshot":
            return "read what no serializable transaction under way can still contradict"
        case "advisory" | "userlock":
            return "have the advisory lock" + (", shared" if mode == "ShareLock" else " alone")
        case "extend":
            return "make the file of the table longer"
    return _DOES.get(mode, "have it")


def holds(lock_type: str, mode: str) -> str:
    """What one in the way does with the object, as the end of "may …"."""
    match lock_type:
        case "transactionid":
            return "has changed or locked the row"
        case "tuple":
            return "is the next in line for the row"
        case "virtualxid":
            return "is still under way"
        case "safe snapshot":
            return "is a serializable transaction that was under way already"
    return _DOES.get(mode, "has it") if mode else "asked first"
