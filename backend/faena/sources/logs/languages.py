"""Puts what a server says in another language back into the English that the reading of logs knows.

languages.json holds, for each language that the server's package ships, what the messages we know are in it; made from
the server's own catalogues (see testing/catalogues.py). What is not among them stays as it is.
"""

import re
from collections.abc import Mapping, Sequence
from functools import cache
from pathlib import Path
from typing import NamedTuple

import orjson

from faena.sources.logs.entries import Entry

_PLACE = re.compile(r"%(?:(\d+)\$)?(0\d)?(?:l{1,2}|z)?([sducX%])")
# Locked things, which messages have within them.
_WITHIN = re.compile(
    r"relation %u|page %u|extension|tuple|object %u|(?:virtual )?transaction|speculative|user lock|advisory"
)
_ENGLISH = ("duration: ", "statement: ", "temporary file: ")  # most of what is logged
MOST_WORD = 300  # characters of a name within a message; only what stands last is longer


class _Said(NamedTuple):
    """A message in one language: a pattern of it, and the English in pieces between its places; `order` of its groups."""

    pattern: re.Pattern[str]
    english: tuple[str, ...]
    order: tuple[int, ...]


_EXECUTED = "duration: %s ms  %s %s%s%s: %s"  # its second place holds what was done, itself in the language


def _told() -> dict[str, dict[str, str]]:
    found: dict[str, dict[str, str]] = orjson.loads(Path(__file__).with_suffix(".json").read_bytes())
    names = {message for texts in found.values() for message in texts if " on %s" in message}
    for texts in found.values():
        texts |= {message: message for message in names - texts.keys()}  # in English, about a thing that is not
        executed = texts.pop(_EXECUTED, _EXECUTED)
        for done in ("execute", "execute fetch from"):
            texts[_second(_EXECUTED, done)] = _second(executed, texts.pop(done, done))
    return found


def _second(text: str, word: str) -> str:
    """With the word in the second place."""
    at = text.index("%s", text.index("%s") + 2)
    return text[:at] + word + text[at + 2 :]


def _is_word(message: str) -> bool:
    return message.isupper() or message.endswith(":  ")


_ALL = _told()
# What stands before the two spaces of a line: severities, and what follows them; "DETAIL" for "DÉTAIL".
WORDS: dict[str, str] = {
    text.rstrip(" ").removesuffix(":"): message.removesuffix(":  ")
    for texts in _ALL.values()
    for message, text in reversed(texts.items())
    if _is_word(message)
}
# Those that the catalogue of their language sets off by no spaces.
WORDS_WITHOUT_SPACES: tuple[str, ...] = tuple(
    text.removesuffix(":")
    for texts in _ALL.values()
    for message, text in texts.items()
    if message.endswith(":  ") and text.endswith(":")
)
WORDS_WITH_SPACES: tuple[str, ...] = tuple(sorted(word for word in WORDS if re.search(r"\s", word)))


def _by_beginning(*, within: bool) -> dict[str, list[tuple[str, str]]]:
    """Message and its text in a language, by the first letter of the text; under "" those that begin with a place."""
    found: dict[str, list[tuple[str, str]]] = {}
    for texts in _ALL.values():
        for message, text in texts.items():
            if not _is_word(message) and bool(_WITHIN.match(message)) == within:
                found.setdefault("" if text.startswith("%") else text[0], []).append((message, text))
    for pairs in found.values():  # the one with most letters first: others may hold less of the same
        pairs[:] = sorted(dict.fromkeys(pairs), key=lambda pair: -len(_PLACE.sub("", pair[1])))
    return found


_MESSAGES, _THINGS = _by_beginning(within=False), _by_beginning(within=True)


@cache
def _said(message: str, text: str) -> _Said:
    places = list(_PLACE.finditer(message))
    order = [int(place[1]) - 1 if place[1] else i for i, place in enumerate(_PLACE.finditer(text))]
    pattern, at, before = "", 0, -1
    for place in _PLACE.finditer(text):
        pattern += re.escape(text[at : place.start()])
        last = place.end() == len(text)
        if place[3] != "s":
            pattern += r"(\d{1,20})" if not place[2] else rf"(\d{{{int(place[2])}}})"
        elif last:
            pattern += "(.*)"
        # Of names that stand without anything between them the first is all.
        else:
            pattern += "()" if before == place.start() else rf"([^\n]{{0,{MOST_WORD}}}?)"
        at = before = place.end()
    pattern += re.escape(text[at:])
    pieces, end = [], 0
    for place in places:
        pieces.append(message[end : place.start()])
        end = place.end()
    back = tuple(order.index(i) + 1 for i in range(len(places)))
    return _Said(re.compile(pattern, re.DOTALL), (*pieces, message[end:]), back)


def in_english(text: str) -> str:
    """A message as the server says it in English; as it is where it is none that we know in another language."""
    if text.startswith(_ENGLISH):
        return text
    return _put(text, _MESSAGES)


def _put(text: str, by_beginning: Mapping[str, Sequence[tuple[str, str]]]) -> str:
    for beginning in (text[:1], ""):
        for message, told in by_beginning.get(beginning, ()):
            said = _said(message, told)
            if match := said.pattern.fullmatch(text):
                words = [
                    _put(word, _THINGS) if 0 < len(word) <= MOST_WORD else word
                    for word in (match[i] for i in said.order)
                ]
                parts = [piece + word for piece, word in zip(said.english, words, strict=False)]
                return "".join(parts) + said.english[-1]
    return text


def word_in_english(word: str) -> str:
    """Of a severity, or of what follows one."""
    return WORDS.get(word, word)


def entry_in_english(entry: Entry) -> Entry:
    """Severity, message, and each line of detail and context. Statements and plans stay as they are."""
    severity = WORDS.get(entry.severity, entry.severity)
    message = in_english(entry.message)
    if severity is entry.severity and message is entry.message and severity in ("ERROR", "FATAL", "PANIC"):
        return entry
    detail, context = _lines(entry.detail), _lines(entry.context)
    return entry._replace(severity=severity, message=message, detail=detail, context=context)


def _lines(text: str) -> str:
    return "\n".join(in_english(line) for line in text.split("\n")) if text else text
