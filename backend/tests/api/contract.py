"""Every endpoint of the contract as something that can be asked."""

from collections.abc import Iterator, Mapping
from typing import Any, NamedTuple

from faena.api.application import api


class Operation(NamedTuple):
    """What the contract has of an endpoint; `path` is filled. `takes_file`: its body is a file."""

    name: str
    method: str
    path: str
    body: Any
    takes_file: bool = False


def example(schema: Mapping[str, Any], parts: Mapping[str, Any], name: str = "") -> Any:
    """Something that fits a schema, as small as can be."""
    if "$ref" in schema:
        return example(parts[schema["$ref"].rsplit("/", 1)[1]], parts, name)
    for several in ("anyOf", "oneOf", "allOf"):
        if several in schema:
            return example(next(one for one in schema[several] if one.get("type") != "null"), parts, name)
    if "default" in schema or "enum" in schema or "const" in schema:
        return schema.get("default", schema.get("const", schema.get("enum", [None])[0]))
    match schema.get("type"):
        case "object":
            told = schema.get("properties", {})
            return {one: example(told[one], parts, one) for one in schema.get("required", ())}
        case "array":
            return [example(schema["items"], parts, name)] * schema.get("minItems", 0)
        case "integer" | "number":
            return KNOWN.get(name, schema.get("minimum", 1))
        case "boolean":
            return True
    return KNOWN.get(name, "a" * max(1, schema.get("minLength", 1)))


START = 1_760_000_000_000
KNOWN: Mapping[str, object] = {
    "host": "127.0.0.1", "text": "SELECT 1", "password": "correct horse battery", "state": "open", "start": START,
    "end": START + 600_000, "period_ms": 1000, "slow_ms": 1000, "machine": "", "storage": "", "log": "", "group": "",
    "time_zone": "UTC", "plan": "Seq Scan on a  (cost=0.00..1.00 rows=1 width=4)", "identity": "abc",
}  # fmt: skip


def operations(known: Mapping[str, object]) -> Iterator[Operation]:
    """Of the contract, in its order."""
    schema = api.get_openapi_schema()
    parts = schema["components"]["schemas"]
    for path, methods in schema["paths"].items():
        for method, told in methods.items():
            filled, query = path, []
            for one in told.get("parameters", ()):
                value = known.get(one["name"], example(one["schema"], parts, one["name"]))
                if one["in"] == "path":
                    filled = filled.replace("{" + one["name"] + "}", str(value))
                elif one.get("required") or one["name"] in known:
                    query.append(f"{one['name']}={value}")
            content = told.get("requestBody", {}).get("content", {}).get("application/json")
            body = example(content["schema"], parts) if content else None
            takes_file = "multipart/form-data" in told.get("requestBody", {}).get("content", {})
            yield Operation(
                told["operationId"], method, filled + ("?" + "&".join(query) if query else ""), body, takes_file
            )
