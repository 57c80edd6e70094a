"""/metrics: figures in the OpenMetrics text format, for whoever has the token or asks from an allowed address."""

import ipaddress
from collections.abc import Iterator
from secrets import compare_digest

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from prometheus_client.metrics_core import GaugeMetricFamily, Metric
from prometheus_client.openmetrics.exposition import CONTENT_TYPE_LATEST, generate_latest
from prometheus_client.registry import CollectorRegistry

from faena.api.parameters import now_ms
from faena.apps.accounts.asked import address_of_request
from faena.apps.answers.metrics import families


class _Told:
    """All families as they are now."""

    def collect(self) -> Iterator[Metric]:
        for one in families(now_ms()):
            family = GaugeMetricFamily(one.name, one.words, labels=one.labels, unit=one.unit)
            for labels, value in one.values:
                family.add_metric(labels, value)
            yield family


def metrics(request: HttpRequest) -> HttpResponse:
    """Nothing of it is said to others, and nothing at all while neither a token nor a network is configured."""
    if request.method != "GET":
        return HttpResponse("only GET\n", status=405, content_type="text/plain")
    if not _may(request):
        return HttpResponse(
            "FAENA_METRICS_TOKEN or FAENA_METRICS_NETWORKS says who may read this\n",
            status=403,
            content_type="text/plain",
        )
    registry = CollectorRegistry(auto_describe=False)
    registry.register(_Told())
    written: bytes = generate_latest(registry)  # type: ignore[no-untyped-call]
    return HttpResponse(written, content_type=CONTENT_TYPE_LATEST)


def _may(request: HttpRequest) -> bool:
    allowed = settings.ENVIRONMENT
    given = request.headers.get("Authorization", "").removeprefix("Bearer ")
    if allowed.metrics_token and compare_digest(given.encode(), allowed.metrics_token.encode()):
        return True
    try:
        address = ipaddress.ip_address(address_of_request.get() or request.META.get("REMOTE_ADDR", ""))
    except ValueError:
        return False
    return any(address in ipaddress.ip_network(one) for one in allowed.metrics_networks)
