"""Parts of sentences that several rules use."""

from faena.core.answers.headline import figure
from faena.core.answers.leads.observed import Observed
from faena.core.numbers import took
from faena.core.privacy import Normalised
from faena.core.sql.texts import gist

__all__ = ["capital", "figure", "quoted", "sessions", "took", "wait_words"]

LONGEST = 70  # letters of a statement in a sentence


def capital(sentence: str) -> str:
    """With a large first letter; all others stay, since names of programs have their own."""
    return sentence[:1].upper() + sentence[1:]


def quoted(text: str) -> str:
    """A statement in a sentence, cut; "a statement that is not known" without one."""
    return f"“{gist(Normalised(text), LONGEST)}”" if text else "a statement that is not known"


def sessions(mean: float) -> str:
    """A mean of sessions: "12 sessions", "0.4 sessions"."""
    return f"{figure(mean)} {'session' if f'{mean:.2g}' == '1' else 'sessions'}"


def wait_words(seen: Observed, wait: str) -> str:
    """A wait event as type and event, "Lock: tuple"."""
    return seen.waits.label(wait)[0]
