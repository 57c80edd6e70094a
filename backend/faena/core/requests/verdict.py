"""Where the time of requests goes, in a sentence: whether the database is the cause, and if not, what is."""

from collections.abc import Mapping

from faena.core.requests.layers import Layer

NOT_THE_CAUSE, THE_CAUSE = 0.1, 0.5  # of the time
_WORDS = {
    Layer.OWN: "the application's own code",
    Layer.DATABASE: "the database",
    Layer.CACHE: "the cache",
    Layer.EXTERNAL: "calls to other services",
    Layer.QUEUE: "waiting for a free connection or a message",
}


def verdict(layers: Mapping[Layer, float]) -> str:
    """A sentence about milliseconds by layer; empty where there is no time to speak of."""
    whole = sum(layers.values())
    if whole <= 0:
        return ""
    shares = {layer: ms / whole for layer, ms in layers.items()}
    database = shares[Layer.DATABASE]
    most = max((layer for layer in Layer if layer is not Layer.DATABASE), key=lambda layer: shares[layer])
    if database >= THE_CAUSE:
        return f"The database takes {database:.0%} of the time; its statements say which."
    told = f"{_WORDS[most].capitalize()} takes {shares[most]:.0%} of the time".replace(
        "services takes", "services take"
    )
    if database < NOT_THE_CAUSE:
        return f"{told}. The database is not the cause: it takes {_percent(database)}."
    if database >= shares[most]:
        return f"The database takes {database:.0%} of the time, {_WORDS[most]} {shares[most]:.0%}."
    return f"{told}, the database {database:.0%}."


def _percent(share: float) -> str:
    return "less than 1%" if 0 < share < 0.01 else f"{share:.0%}"
