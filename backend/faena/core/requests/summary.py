"""Many requests: endpoints ranked by the time they take, each with what is found of it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import ceil

from faena.core.requests.findings import EndpointFinding, facts_of, findings
from faena.core.requests.layers import Layer
from faena.core.requests.request import Request


@dataclass(frozen=True, slots=True, kw_only=True)
class Endpoint:
    """All requests of one endpoint of one service. `findings` in the order of `RULES`."""

    endpoint: str
    service: str
    requests: Sequence[Request]
    findings: Sequence[EndpointFinding]

    @property
    def time_ms(self) -> float:
        return sum(one.duration_ms for one in self.requests)

    @property
    def mean_ms(self) -> float:
        return self.time_ms / len(self.requests)

    @property
    def p95_ms(self) -> float:
        """By nearest rank."""
        ordered = sorted(one.duration_ms for one in self.requests)
        return ordered[ceil(0.95 * len(ordered)) - 1]

    @property
    def errors(self) -> int:
        return sum(one.error for one in self.requests)

    @property
    def layers(self) -> Mapping[Layer, float]:
        return {layer: sum(one.layers[layer] for one in self.requests) for layer in Layer}

    @property
    def worst_layer(self) -> Layer:
        """The one that takes most; among equal ones the first by name of the list."""
        found = self.layers
        return max(Layer, key=lambda layer: found[layer])

    @property
    def database_share(self) -> float:
        return self.layers[Layer.DATABASE] / self.time_ms if self.time_ms else 0.0


def endpoints(requests: Sequence[Request]) -> list[Endpoint]:
    """Those that consumed most time first."""
    groups: dict[tuple[str, str], list[Request]] = {}
    for one in requests:
        groups.setdefault((one.endpoint, one.top.service), []).append(one)
    made = [
        Endpoint(endpoint=name, service=service, requests=mine, findings=findings(facts_of(mine)))
        for (name, service), mine in groups.items()
    ]
    return sorted(made, key=lambda one: (-one.time_ms, one.endpoint, one.service))
