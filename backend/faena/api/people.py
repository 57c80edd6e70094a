"""People: who may do what, passwords, and the record of what was done."""

from datetime import datetime
from typing import Annotated

from django.contrib.auth import update_session_auth_hash
from django.http import HttpRequest, StreamingHttpResponse
from ninja import Query, Router, Schema, Status
from pydantic import Field

from faena.api.exports import Format, export
from faena.api.out import Out
from faena.apps.accounts import actions, audit
from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role

router = Router(tags=["people"])
Password = Annotated[str, Field(min_length=1, max_length=1000)]


class PersonOut(Out):
    """An account, and what its holder may do.

    `may_run`: may run statements on watched servers to measure their plans, a grant of its own beside the role.

    `operates`: groups on whose servers a viewer is an operator. `sees`: groups whose servers alone a viewer sees, beside
    those that he operates; none: all servers.
    """

    id: int
    username: str
    role: Role
    may_run: bool
    active: bool
    last_sign_in: datetime | None
    operates: list[str]
    sees: list[str]


class NewPersonBody(Schema):
    username: Annotated[str, Field(min_length=1, max_length=150)]
    password: Password
    role: Role = Role.VIEWER
    may_run: bool = False
    operates: list[str] = Field(default_factory=list)
    sees: list[str] = Field(default_factory=list)


class PersonBody(Schema):
    """What is left out stays as it is."""

    role: Role | None = None
    may_run: bool | None = None
    active: bool | None = None
    operates: list[str] | None = None
    sees: list[str] | None = None


class PasswordBody(Schema):
    password: Password


class OwnPasswordBody(Schema):
    present: Password
    password: Password


class DoneOut(Out):
    done: bool = True


class AuditOut(Out):
    """Something that somebody did, and from which address."""

    id: int
    at: datetime
    by: str
    act: str
    server: str
    subject: str
    detail: str
    address: str


class AuditIn(Schema):
    """Newest first; `act` is the beginning of one, as "server."."""

    since: datetime | None = None
    until: datetime | None = None
    by: Annotated[str, Field(max_length=150)] = ""
    act: Annotated[str, Field(max_length=60)] = ""


@router.get("/people", response=list[PersonOut], operation_id="people_list")
def list_people(request: HttpRequest) -> list[PersonOut]:
    """Everybody, those whose account is off last. Admins only."""
    require(request.user, Role.ADMIN, "see who has an account")
    return [PersonOut.model_validate(one) for one in actions.everybody()]


@router.post("/people", response={201: PersonOut}, operation_id="people_add")
def add_person(request: HttpRequest, body: NewPersonBody) -> Status[PersonOut]:
    """Add a person. Admins only."""
    made = actions.add(
        body.username, body.password, body.role, may_run=body.may_run, operates=body.operates, sees=body.sees,
        by=request.user,
    )  # fmt: skip
    return Status(201, PersonOut.model_validate(made))


@router.patch("/people/{person_id}", response=PersonOut, operation_id="people_change")
def change_person(request: HttpRequest, person_id: int, body: PersonBody) -> PersonOut:
    """Change role, grant, or switch an account off, which ends its sign-ins. Admins only."""
    require(request.user, Role.ADMIN, "change what a person may do")
    user = actions.person(person_id)
    return PersonOut.model_validate(
        actions.change(
            user, role=body.role, may_run=body.may_run, active=body.active, operates=body.operates, sees=body.sees,
            by=request.user,
        )
    )  # fmt: skip


@router.put("/people/{person_id}/password", response=DoneOut, operation_id="people_reset_password")
def reset_password(request: HttpRequest, person_id: int, body: PasswordBody) -> DoneOut:
    """Give a person a new password; his sign-ins end. Admins only."""
    require(request.user, Role.ADMIN, "give a person a new password")
    actions.reset_password(actions.person(person_id), body.password, by=request.user)
    return DoneOut()


@router.put("/session/password", response=DoneOut, operation_id="session_password")
def own_password(request: HttpRequest, body: OwnPasswordBody) -> DoneOut:
    """Change your own password; your other sign-ins end."""
    user = actions.own_password(body.present, body.password, by=request.user)
    update_session_auth_hash(request, user)
    return DoneOut()


@router.get("/audit", response=list[AuditOut], operation_id="audit_list")
def list_audit(
    request: HttpRequest, given: Query[AuditIn], limit: Annotated[int, Query(ge=1, le=1000)] = 200
) -> list[AuditOut]:
    """The record of what was done: sign-ins, settings, connects, tokens, askings, endings. Admins only."""
    require(request.user, Role.ADMIN, "read the record")
    found = audit.entries(given.since, given.until, given.by, given.act, limit)
    return [AuditOut.model_validate(one) for one in found]


@router.get("/audit/export", operation_id="audit_export")
def export_audit(request: HttpRequest, given: Query[AuditIn], format: Format = "csv") -> StreamingHttpResponse:
    """The same, whole, as CSV, JSON Lines or Parquet. Admins only."""
    user = require(request.user, Role.ADMIN, "export the record")
    audit.record(user, "record.exported")
    rows = audit.entries(given.since, given.until, given.by, given.act)
    found = (AuditOut.model_validate(one).model_dump() for one in rows)
    return export(request, found, AuditOut, format, "record")
