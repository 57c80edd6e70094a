"""Our own logs: plain lines or JSON lines, each with its request; of an error its kind and place, never its words.

What a database or a parser says of an error cites the row or the text at fault, and that is no business of a log.
"""

import logging
import traceback
from datetime import UTC, datetime
from types import TracebackType

import orjson

from faena.apps.accounts.asked import request_id
from faena.core.errors import FaenaError

MORE = ("method", "path", "status", "ms", "address", "user")
ExcInfo = tuple[type[BaseException], BaseException, TracebackType | None] | tuple[None, None, None]


def told(error: BaseException) -> str:
    """Kind and place of an error and of what caused it; our own errors with their words."""
    lines = list[str]()
    seen: BaseException | None = error
    while seen is not None and len(lines) < 200:
        words = f": {seen}" if isinstance(seen, FaenaError) else ""
        state = getattr(seen, "sqlstate", None)
        lines.append(f"{type(seen).__module__}.{type(seen).__name__}{f' {state}' if state else ''}{words}")
        lines += [
            f"  {one.filename}:{one.lineno} in {one.name}" for one in traceback.extract_tb(seen.__traceback__)[-12:]
        ]
        seen = seen.__cause__ or (None if seen.__suppress_context__ else seen.__context__)
    return "\n".join(lines)


class Plain(logging.Formatter):
    """A line for people."""

    def __init__(self) -> None:
        super().__init__("{asctime} {levelname} {name}: {message}", style="{")

    def format(self, record: logging.LogRecord) -> str:
        line = super().format(record)
        name = request_id.get()
        return f"{line} [{name}]" if name else line

    def formatException(self, ei: ExcInfo) -> str:  # noqa: N802  # the name is logging's
        return told(ei[1]) if ei[1] is not None else ""


class JsonLines(logging.Formatter):
    """A line for machines."""

    def format(self, record: logging.LogRecord) -> str:
        at = datetime.fromtimestamp(record.created, UTC)
        body: dict[str, object] = {
            "at": at.isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "logger": record.name,
            "message": record.getMessage(),
        }
        if name := request_id.get():
            body["request"] = name
        body |= {name: getattr(record, name) for name in MORE if hasattr(record, name)}
        if record.exc_info and record.exc_info[1] is not None:
            body["error"] = told(record.exc_info[1])
        return orjson.dumps(body, default=str).decode()
