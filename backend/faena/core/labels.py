"""Enumerations whose values have words for people: the one list of them, for every screen, file and command."""

from enum import StrEnum
from typing import Self


class Labelled(StrEnum):
    """Members are written as value, label, and, where a label alone says too little, a sentence that explains it."""

    label: str
    meaning: str

    def __new__(cls, value: str, label: str = "", meaning: str = "") -> Self:
        """The value is the word in the API, in URLs and in files."""
        member = str.__new__(cls, value)
        member._value_ = value
        member.label = label
        member.meaning = meaning
        return member
