"""A team's data out and in."""

from typing import Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from fleet_rival.api.schemas.base import Schema
from fleet_rival.services.exchange.lists import LISTS


class PackageQuery(BaseModel):
    model_config = ConfigDict(extra="forbid")
    week: list[UUID] | None = Field(default=None, max_length=200, description="Only what belongs to these weeks of series; everything where missing")
    telemetry: bool = Field(default=False, description="Traces too, of which the files are large")


class WayInOut(Schema):
    name: str
    role: str
    sign_in_name: str
    password: str = Field(description="Can't be seen again")


class BroughtInOut(Schema):
    team_id: UUID
    team: str
    rows: int
    ways: list[WayInOut] = Field(description="For everybody who wasn't known here")


class LeftOut(Schema):
    name: str = Field(description="What the driver is called from here on")


class ListPath(BaseModel):
    listed: Literal[tuple(LISTS)]  # type: ignore[valid-type]
    form: Literal["csv", "xlsx"]
