"""Columns for texts, with what may be in them as their type: without literals, or as they were."""

from typing import TYPE_CHECKING, Any

from django.db import models

from faena.core.privacy import Normalised, Raw
from faena.core.sql.texts import storable

if TYPE_CHECKING:
    _BareBase = models.TextField[Normalised, Normalised]
    _RawBase = models.TextField[Raw | None, Raw | None]
else:
    _BareBase = _RawBase = models.TextField


class BareTextField(_BareBase):
    """A text without literals, which anybody may see."""

    def get_prep_value(self, value: Any) -> Any:
        return storable(value) if isinstance(value, str) else value


class RawTextField(_RawBase):
    """A text as it was, or None where it is not kept. It comes out as Raw, and only a Permit opens that."""

    def __init__(self, **options: Any) -> None:
        super().__init__(**{"default": None, "blank": True, **options})

    def deconstruct(self) -> Any:
        name, path, arguments, options = super().deconstruct()
        options.pop("blank", None)
        return name, path, arguments, options

    def from_db_value(self, value: str | None, expression: object, connection: object) -> Raw | None:
        return Raw(value) if value else None

    def get_prep_value(self, value: Any) -> str:
        """Refuses a plain string: whoever writes one here has not thought about who may read it."""
        if value is None:
            return ""
        if not isinstance(value, Raw):
            raise TypeError(f"a raw text is written as Raw, not as {type(value).__name__}")
        return storable(value.sealed())


def raw(text: str) -> Raw | None:
    """For a column: None where there is nothing to keep."""
    return Raw(text) if text else None
