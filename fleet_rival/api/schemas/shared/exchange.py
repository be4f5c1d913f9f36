"""A team's data out and in."""

from typing import Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from fleet_rival.api.schemas.base import Schema
from fleet_rival.core.words import TableForm
from fleet_rival.services.exchange.let_in import WayIn
from fleet_rival.services.exchange.lists import LISTS


class PackageWish(BaseModel):
    model_config = ConfigDict(extra="forbid")
    weeks: list[UUID] | None = Field(
        default=None,
        min_length=1,
        max_length=200,
        description="Only what belongs to these weeks of series; everything where missing",
    )
    telemetry: bool = Field(default=False, description="Traces too, of which the files are large")


class WayInOut(Schema, of=WayIn):
    password: str = Field(description="Can't be seen again")


class WaysInOut(Schema):
    items: list[WayInOut] = Field(description="For everybody who wasn't known here and has none yet")


class LeftOut(Schema):
    name: str = Field(description="What the driver is called from here on")


class ListPath(BaseModel):
    listed: Literal[tuple(LISTS)]  # type: ignore[valid-type]
    form: TableForm
