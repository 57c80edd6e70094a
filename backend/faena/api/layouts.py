"""How a person wants to see tables: which columns, and how wide."""

from typing import Annotated

from django.http import HttpRequest
from ninja import Path, Router, Schema
from pydantic import Field

from faena.api.out import Out
from faena.apps.accounts import preferences

router = Router(tags=["layouts"])
Name = Annotated[str, Field(max_length=60)]
KEY = "table:"


class LayoutBody(Schema):
    """How somebody wants the columns of a table.

    `hidden` columns of those that come, `shown` of those that are hidden unless asked for, `widths` in pixels.
    """

    hidden: list[Name] = Field(default_factory=list, max_length=100)
    shown: list[Name] = Field(default_factory=list, max_length=100)
    widths: dict[Name, Annotated[int, Field(ge=10, le=4000)]] = Field(default_factory=dict, max_length=100)


class LayoutOut(Out):
    table: str
    hidden: list[str]
    shown: list[str]
    widths: dict[str, int]


@router.get("/layouts", response=list[LayoutOut], operation_id="layouts_list")
def list_layouts(request: HttpRequest) -> list[LayoutOut]:
    """The tables that the user has changed."""
    return [LayoutOut(table=name, **value) for name, value in preferences.beginning_with(request.user, KEY).items()]


@router.put("/layouts/{table}", response=LayoutOut, operation_id="layouts_keep")
def keep_layout(
    request: HttpRequest, table: Annotated[str, Path(pattern=r"^[a-z][a-z0-9-]{0,40}$")], body: LayoutBody
) -> LayoutOut:
    """Keep how the user wants to see a table."""
    preferences.write(request.user, f"{KEY}{table}", body.dict())
    return LayoutOut(table=table, **body.dict())
