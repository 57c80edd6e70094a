"""How a server is captured, close watch, and session samples from files."""

from dataclasses import asdict
from datetime import datetime
from typing import Annotated, Any, Literal, cast

from django.http import HttpRequest
from ninja import File, Query, Router, Schema
from ninja.files import UploadedFile

from faena.api.out import Out
from faena.api.parameters import now_ms
from faena.apps.answers.capture import CaptureState, capture_state, watch_closely
from faena.apps.answers.capture import set_capture as set_form
from faena.apps.collecting.imports import import_samples, imported_server
from faena.apps.servers.capture import DEAR_SHARE, CaptureForm

router = Router(tags=["capture"])


class CaptureSettings(Out):
    """What can be set. `log`: a path, "server" for through the server, empty for not at all; `fast_share` from 0 to 1.

    `time_zone` by name, empty for that of its log: days and weekends are counted by it.
    """

    period_ms: int
    slow_ms: int
    schedule: list[dict[str, Any]]
    sample_retention_days: int
    sum_retention_days: int
    counter_retention_days: int
    execution_retention_days: int
    machine_retention_days: int
    cores: int | None
    group: str
    storage: str
    machine: str
    time_zone: str
    log: str
    fast_share: float
    keep_parameters: bool


class CaptureBody(CaptureSettings):
    confirmed: bool = False


class LogNeedOut(Out):
    """A setting of the server that its log needs; `cost` in words."""

    name: str
    ok: bool
    found: str
    remedy: str
    cost: str


class LogStateOut(Out):
    """How the reading of the log goes. `refused` says why it cannot be read, empty when it can."""

    read_at: datetime | None
    behind: int
    unreadable: int
    executions_last_hour: int
    refused: str


class CaptureOut(CaptureSettings):
    """How a server is watched now.

    `sample_ms` is how long the server takes to answer one sample, null while nothing was measured.

    `engine` in words; `can` names what can be done with it: sample, reach, explain, end, schema, log_needs, files.
    `cost_share` of a core is what sampling costs at most; above `dear_share` a choice wants a second yes.
    """

    name: str
    engine: str
    can: list[str]
    address: str
    sample_ms: float | None
    cost_share: float | None
    close_cost_share: float | None
    dear_share: float
    close_watch_until: int | None
    now: int
    log_needs: list[LogNeedOut]
    log_state: LogStateOut


class CloseWatchBody(Schema):
    """0 minutes end it."""

    minutes: int
    confirmed: bool = False


class FaultOut(Out):
    line: int
    reason: str


class ImportOut(Out):
    """What came in from a file of samples.

    `ticks_known` were stored before and left as they are. `faults` are the first of `refused` rows.
    """

    server: int
    rows: int
    ticks: int
    ticks_known: int
    first: int | None
    last: int | None
    refused: int
    faults: list[FaultOut]


def _out(found: CaptureState, now: int) -> CaptureOut:
    beside = ("name", "address", "sample_ms", "cost_share", "close_cost_share", "close_watch_until")
    return CaptureOut(
        engine=found.engine.title,
        can=list(found.can),
        dear_share=DEAR_SHARE,
        now=now,
        log_needs=[LogNeedOut(**asdict(one)) for one in found.log_needs],
        log_state=LogStateOut(refused=found.log_refused, **asdict(found.log_state)),
        **{name: getattr(found, name) for name in beside},
        **{name: getattr(found.form, name) for name in CaptureSettings.model_fields},
    )


@router.get("/servers/{server_id}/capture", response=CaptureOut, operation_id="capture_get")
def get_capture(request: HttpRequest, server_id: int) -> CaptureOut:
    """How the server is captured, and what that costs it."""
    now = now_ms()
    return _out(capture_state(server_id, now), now)


@router.put("/servers/{server_id}/capture", response=CaptureOut, operation_id="capture_set")
def set_capture(request: HttpRequest, server_id: int, body: CaptureBody) -> CaptureOut:
    """Change it. A choice that costs more than `dear_share` of a core is refused until confirmed. Admins only."""
    now = now_ms()
    return _out(set_form(server_id, CaptureForm(**body.model_dump()), now, by=request.user), now)


@router.post("/servers/{server_id}/close-watch", response=CaptureOut, operation_id="close_watch")
def close_watch(request: HttpRequest, server_id: int, body: CloseWatchBody) -> CaptureOut:
    """Ten samples a second for a while, then back by itself. Operators and admins."""
    now = now_ms()
    return _out(watch_closely(server_id, body.minutes, now, confirmed=body.confirmed, by=request.user), now)


@router.post("/import/samples", response=ImportOut, operation_id="import_samples")
def upload_samples(
    request: HttpRequest,
    server: Annotated[str, Query(min_length=1, max_length=80, description="name; made when there is none")],
    format: Literal["csv", "jsonl"],
    file: Annotated[UploadedFile, File(description="see docs/session-samples.md")],
    period_ms: Annotated[int, Query(ge=100, le=3_600_000)] = 1000,
) -> ImportOut:
    """Session samples of any engine from a file. Bad rows are told and do not stop the rest. Operators and admins."""
    target = imported_server(server, period_ms=period_ms, by=request.user)
    report = import_samples(target, cast(Any, file.file), format, by=request.user)
    return ImportOut(
        server=target.pk,
        rows=report.rows,
        ticks=report.ticks,
        ticks_known=report.ticks_known,
        first=report.first_ms,
        last=report.last_ms,
        refused=report.faults.count,
        faults=[FaultOut(line=fault.line, reason=fault.reason) for fault in report.faults.told],
    )
