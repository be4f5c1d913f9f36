"""Setups over the wire."""

from uuid import UUID

from pydantic import BaseModel, Field

from fleet_rival.api.schemas.base import Schema
from fleet_rival.core.runs.setups import Difference, SetupValue
from fleet_rival.core.words import (
    FiguresForm,
    SetupPurpose,
)
from fleet_rival.services.fix.setups import Brought, SetupView, VersionView


class SetupValueForm(BaseModel):
    name: str = Field(min_length=1, max_length=120)
    value: str = Field(min_length=1, max_length=120)
    unit: str | None = Field(default=None, max_length=40)
    corner: str | None = Field(
        default=None, max_length=40, description="Where it is set in the car; None: for the whole lap"
    )


class SetupSheetForm(BaseModel):
    purpose: SetupPurpose = "any"
    assists: str | None = Field(default=None, max_length=120)
    reason: str | None = Field(default=None, max_length=2000)
    note: str | None = Field(default=None, max_length=2000)
    values: list[SetupValueForm] = Field(default_factory=list, max_length=1000)
    file: str | None = Field(
        default=None, max_length=1_000_000, description="Instead of values: what a CSV or JSON file holds"
    )


class NewSetup(SetupSheetForm):
    car_id: UUID
    name: str = Field(max_length=200)


class NewSetupVersion(SetupSheetForm):
    latest: int = Field(ge=1, description="The version that was looked at")


class SetupValueOut(Schema, of=SetupValue):
    pass


class SetupDifference(Schema, of=Difference):
    pass


class SetupVersionOut(Schema, of=VersionView):
    purpose: SetupPurpose


class SetupOut(Schema, of=SetupView):
    pass


class SetupsOut(Schema):
    items: list[SetupOut]


class SetupMade(Schema):
    id: UUID


class SetupPath(BaseModel):
    setup_id: UUID


class SetupQuery(BaseModel):
    car: UUID | None = None


class SetupDifferenceQuery(BaseModel):
    first: int = Field(ge=1)
    second: int = Field(ge=1)
    other: UUID | None = None


class SetupDifferences(Schema):
    items: list[SetupDifference]


class SetupFileQuery(BaseModel):
    number: int = Field(ge=1)
    form: FiguresForm = "csv"


class BroughtItem(Schema, of=Brought):
    pass


class BroughtOut(Schema):
    items: list[BroughtItem]
