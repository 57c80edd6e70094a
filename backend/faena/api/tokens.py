"""Tokens by which programs use this API."""

from typing import Annotated

from django.http import HttpRequest
from ninja import Field, Router, Schema, Status

from faena.api.out import Out
from faena.apps.accounts import api_tokens
from faena.apps.accounts.api_tokens import LONGEST_DAYS, Scope, Told

router = Router(tags=["tokens"])


class ApiTokenOut(Out):
    """A token, without the token itself.

    `machine`: of a program and not of a person. Moments in ms since 1970; `last_used` null: never.
    """

    id: int
    name: str
    owner: str
    machine: bool
    scope: Scope
    scope_label: str
    made: int
    expires: int
    last_used: int | None


class ApiTokenMadeOut(Out):
    """A token that was just made. `token` itself is shown this once, and not kept."""

    token: str
    about: ApiTokenOut


class ApiTokenBody(Schema):
    """A token as somebody wants it. `machine`: it acts as a program of that name, not as you; for admins."""

    name: Annotated[str, Field(max_length=80)]
    scope: str = Scope.READ.value
    days: Annotated[int, Field(ge=1, le=LONGEST_DAYS)] = 90
    machine: bool = False


class ApiTokenRevokedOut(Out):
    revoked: bool = True


def _told(one: Told) -> ApiTokenOut:
    return ApiTokenOut(
        id=one.id, name=one.name, owner=one.owner, machine=one.machine, scope=one.scope, scope_label=one.scope.label,
        made=one.made, expires=one.expires, last_used=one.last_used,
    )  # fmt: skip


@router.get("/tokens", response=list[ApiTokenOut], operation_id="api_tokens")
def get_tokens(request: HttpRequest) -> list[ApiTokenOut]:
    """Your own; all of them for admins."""
    return [_told(one) for one in api_tokens.visible_to(request.user)]


@router.post("/tokens", response={201: ApiTokenMadeOut}, operation_id="api_token_make")
def post_token(request: HttpRequest, body: ApiTokenBody) -> Status[ApiTokenMadeOut]:
    """Let a program use the API: as you, or as itself."""
    made, token = api_tokens.make(body.name, body.scope, body.days, machine=body.machine, by=request.user)
    return Status(201, ApiTokenMadeOut(token=token, about=_told(made)))


@router.delete("/tokens/{token_id}", response=ApiTokenRevokedOut, operation_id="api_token_revoke")
def delete_token(request: HttpRequest, token_id: int) -> ApiTokenRevokedOut:
    """End a token at once."""
    api_tokens.revoke(token_id, by=request.user)
    return ApiTokenRevokedOut()
