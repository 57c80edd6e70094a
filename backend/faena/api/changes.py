"""Changes of a server: listed, noted by hand, told by pipelines with a token."""

from typing import Annotated

from django.http import HttpRequest
from ninja import Field, Query, Router, Schema, Status

from faena.api.out import Out
from faena.api.parameters import WindowIn, now_ms
from faena.apps.answers import changes as answers
from faena.apps.answers.changes import ChangeWithVerdict
from faena.apps.changes import actions, tokens
from faena.apps.changes.actions import Told
from faena.apps.servers import selectors as servers
from faena.core.changes.kinds import ChangeKind

router = Router(tags=["changes"])


class VerdictOut(Out):
    """The verdict so far of whether it helped. `told_at`: when too early ends, null: not known or told already.

    `settled`: it is not judged again. `until`: up to when was compared.
    """

    id: int
    verdict: str
    label: str
    sentence: str
    told_at: int | None
    until: int
    settled: bool


class NotedChangeOut(Out):
    """A change between `since` and `at`; `origin`: found, hand or api. `line` says it in one, without its moment.

    `verdict` null: it is not followed. `mine`: who asks may remove it.
    """

    id: int
    at: int
    since: int
    kind: ChangeKind
    label: str
    line: str
    object: str
    table: str
    before: str
    after: str
    query_id: str | None
    note: str
    version: str
    link: str
    origin: str
    by: str
    mine: bool
    verdict: VerdictOut | None


class ChangesOut(Out):
    """The newest first. `looked`: when the server's catalogue was last compared, null: never; then changes may be missing."""

    changes: list[NotedChangeOut]
    looked: int | None


class NoteBody(Schema):
    """A change that somebody notes. `at` in ms since 1970, now if left out; it may be any moment of the last 90 days."""

    what: Annotated[str, Field(max_length=1000)]
    at: int | None = None
    kind: ChangeKind = ChangeKind.NOTE
    object: Annotated[str, Field(max_length=300)] = ""
    version: Annotated[str, Field(max_length=100)] = ""
    link: Annotated[str, Field(max_length=500)] = ""


class TellBody(Schema):
    """A change that a pipeline tells of. `server` by name; left out: all that its token speaks of."""

    what: Annotated[str, Field(max_length=1000)]
    server: str = ""
    at: int | None = None
    kind: ChangeKind = ChangeKind.DEPLOY
    object: Annotated[str, Field(max_length=300)] = ""
    before: Annotated[str, Field(max_length=1000)] = ""
    after: Annotated[str, Field(max_length=1000)] = ""
    version: Annotated[str, Field(max_length=100)] = ""
    link: Annotated[str, Field(max_length=500)] = ""


class ToldOut(Out):
    """Numbers of the changes made, one for each server."""

    changes: list[int]


class ChangeRemovedOut(Out):
    removed: bool = True


class PipelineOut(Out):
    """Who may tell of changes; `server` null: of all. `last_used` null: its token was never used."""

    id: int
    name: str
    server: str | None
    last_used: int | None


class PipelineBody(Schema):
    """A token for a pipeline that tells of deploys.

    `every_server`: the token speaks of all servers, also of those that come later.
    """

    name: str
    every_server: bool = False


class PipelineTokenOut(Out):
    """A new pipeline with its token, which is shown this once."""

    pipeline: PipelineOut
    token: str


def verdict_out(one: answers.FollowedVerdict | None) -> VerdictOut | None:
    """None stays None."""
    return VerdictOut.model_validate(one) if one else None


def _out(one: ChangeWithVerdict) -> NotedChangeOut:
    kept = one.change
    names = (
        "id",
        "at",
        "since",
        "kind",
        "line",
        "object",
        "table",
        "before",
        "after",
        "note",
        "version",
        "link",
        "origin",
        "by",
    )
    return NotedChangeOut(
        label=kept.kind.label,
        query_id=None if kept.query_id is None else str(kept.query_id),
        mine=one.mine,
        verdict=verdict_out(one.verdict),
        **{name: getattr(kept, name) for name in names},
    )


@router.get("/servers/{server_id}/changes", response=ChangesOut, operation_id="changes_list")
def list_changes(
    request: HttpRequest,
    server_id: int,
    window: Query[WindowIn],
    kind: Annotated[list[ChangeKind], Query(description="only these kinds; may be repeated")] = [],  # noqa: B006  # read only
    containing: Annotated[str, Query(max_length=200)] = "",
    limit: Annotated[int, Query(ge=1, le=1000)] = 300,
) -> ChangesOut:
    """What changed in a window, each with before and after and whether it helped."""
    found, looked = answers.changes_of(
        server_id, window.window(now_ms()), kinds=kind, words=containing, limit=limit, by=request.user
    )
    return ChangesOut(changes=[_out(one) for one in found], looked=looked)


@router.post("/servers/{server_id}/changes", response={201: NotedChangeOut}, operation_id="changes_note")
def note_change(request: HttpRequest, server_id: int, body: NoteBody) -> Status[NotedChangeOut]:
    """Note a change by hand, at any moment of the last 90 days. Operators and admins."""
    now = now_ms()
    return Status(201, _out(answers.note(servers.server(server_id), _told(body, now), now, by=request.user)))


@router.delete("/servers/{server_id}/changes/{change_id}", response=ChangeRemovedOut, operation_id="changes_remove")
def remove_change(request: HttpRequest, server_id: int, change_id: int) -> ChangeRemovedOut:
    """Remove a change that was noted or told; what Faena found stays. Its teller and admins."""
    actions.remove(servers.server(server_id).pk, change_id, by=request.user)
    return ChangeRemovedOut()


@router.post("/changes", response={201: ToldOut}, auth=None, operation_id="changes_tell")
def tell_change(request: HttpRequest, body: TellBody) -> Status[ToldOut]:
    """A pipeline tells of a change, with its token: `Authorization: Bearer …`."""
    token = tokens.admit(request.headers.get("Authorization", "").removeprefix("Bearer ").strip())
    now = now_ms()
    server = servers.server_named(body.server) if body.server else None
    made = answers.tell(token, server, _told(body, now), now)
    return Status(201, ToldOut(changes=made))


def _told(body: NoteBody | TellBody, now: int) -> Told:
    given = body.dict(exclude={"at", "server"})
    return Told(**given, at_ms=now if body.at is None else body.at)


@router.get("/servers/{server_id}/pipelines", response=list[PipelineOut], operation_id="pipelines_list")
def list_pipelines(request: HttpRequest, server_id: int) -> list[PipelineOut]:
    """Who may tell of changes of this server."""
    return [PipelineOut.model_validate(one) for one in tokens.all_of(servers.server(server_id).pk)]


@router.post("/servers/{server_id}/pipelines", response={201: PipelineTokenOut}, operation_id="pipelines_make")
def make_pipeline(request: HttpRequest, server_id: int, body: PipelineBody) -> Status[PipelineTokenOut]:
    """Let a pipeline tell of changes. Admins only."""
    server = servers.server(server_id)
    made, token = tokens.make(None if body.every_server else server, body.name.strip(), by=request.user)
    return Status(201, PipelineTokenOut(pipeline=PipelineOut.model_validate(made), token=token))


@router.delete("/servers/{server_id}/pipelines/{token_id}", response=ChangeRemovedOut, operation_id="pipelines_remove")
def remove_pipeline(request: HttpRequest, server_id: int, token_id: int) -> ChangeRemovedOut:
    """Its token ends at once; what it told stays. Admins only."""
    servers.server(server_id)
    tokens.remove(token_id, by=request.user)
    return ChangeRemovedOut()
