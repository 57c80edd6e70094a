"""Spans as bytes: one JSON list, names of attributes and whole resources once each. Compressing is the store's matter."""

from collections.abc import Sequence
from typing import Any

import orjson

from faena.core.requests.span import Attributes, Span, SpanKind

VERSION = 1
_KINDS = tuple(SpanKind)


def pack(spans: Sequence[Span]) -> bytes:
    """Spans of one trace, whose identifier is not packed along. Values of attributes are text, numbers or flags."""
    words: dict[str, int] = {}
    resources: list[list[object]] = []
    known: dict[int, int] = {}

    def word(text: str) -> int:
        return words.setdefault(text, len(words))

    def pairs(attributes: Attributes) -> list[object]:
        return [part for key, value in attributes.items() for part in (word(key), value)]

    rows = []
    for span in spans:
        if id(span.resource) not in known:
            known[id(span.resource)] = len(resources)
            resources.append(pairs(span.resource))
        rows.append([
            span.id.hex(), span.parent.hex(), word(span.name), _KINDS.index(span.kind), span.start, span.end - span.start,
            word(span.service), word(span.scope), pairs(span.attributes), known[id(span.resource)], int(span.failed),
            span.exceptions,
        ])  # fmt: skip
    return orjson.dumps([VERSION, list(words), resources, rows], default=list)


def unpack(packed: bytes, trace: bytes) -> list[Span]:
    """Inverse of `pack`. Raises ValueError for what another version packed."""
    version, words, resources, rows = orjson.loads(packed)
    if version != VERSION:
        raise ValueError(f"spans packed by version {version} cannot be read by this one")

    def mapping(parts: Sequence[Any]) -> dict[str, Any]:
        return {words[parts[i]]: parts[i + 1] for i in range(0, len(parts), 2)}

    made = [mapping(parts) for parts in resources]
    return [
        Span(
            trace, bytes.fromhex(own), bytes.fromhex(parent), words[name], _KINDS[kind], start, start + length,
            words[service], words[scope], mapping(attributes), made[resource], bool(failed),
            tuple((kind_of, said) for kind_of, said in exceptions),
        )
        for own, parent, name, kind, start, length, service, scope, attributes, resource, failed, exceptions in rows
    ]  # fmt: skip
