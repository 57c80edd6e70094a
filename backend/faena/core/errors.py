"""One error tree.

FaenaError
├── BadInput              what the caller sent cannot be meant
│   ├── BadWindow         an empty, reversed or far too long time span
│   └── BadPick           a narrowing by an unknown dimension, or one that cannot be read
├── NoTicks               a mean was asked over a span in which nothing was sampled
├── NotFound              the thing named does not exist
├── NotAllowed            the role does not permit the act
├── SourceError           the watched server, seen from here
│   ├── SourceAway        cannot be reached, or broke off
│   ├── SourceRefused     it answered, and said no: password, privilege, connection limit
│   └── SourceUnfit       too old a version, or an extension is missing
├── Busy                  others are being served; try again
└── StoreAway             Faena's own database does not answer

Every message says what, where and what to do.
"""


class FaenaError(Exception):
    """Base of all errors that Faena raises on purpose."""


class BadInput(FaenaError):
    """`field` names the part of the request at fault."""

    def __init__(self, reason: str, *, field: str) -> None:
        super().__init__(reason)
        self.field = field


class BadWindow(BadInput):
    """A span that is empty, reversed or too long."""

    def __init__(self, reason: str, *, field: str = "from") -> None:
        super().__init__(reason, field=field)


class BadPick(BadInput):
    """A step of the trail that cannot be read."""

    def __init__(self, reason: str) -> None:
        super().__init__(reason, field="pick")


class NoTicks(FaenaError):
    """A mean over zero ticks is undefined; a gap must be shown as a gap."""


class NotFound(FaenaError):
    """The named thing does not exist, or no longer."""


class NotAllowed(FaenaError):
    """The signed-in role may not do this."""


class SourceError(FaenaError):
    """Something about the watched server. `remedy` is what mends it, when known."""

    def __init__(self, reason: str, *, remedy: str = "") -> None:
        super().__init__(reason)
        self.remedy = remedy


class SourceAway(SourceError):
    """Not reachable, starting up, shutting down, or the connection broke. Worth trying again."""


class SourceRefused(SourceError):
    """Reached, but it said no. Trying again without a change will not help."""


class SourceUnfit(SourceError):
    """Reached, but too old or lacking what Faena needs."""


class Busy(FaenaError):
    """Too much is under way at the moment. `after_s`: seconds after which trying again makes sense."""

    def __init__(self, reason: str, *, after_s: int) -> None:
        super().__init__(reason)
        self.after_s = after_s


class StoreAway(FaenaError):
    """Faena's own database cannot be reached; readings must be kept elsewhere until it is back."""
