"""People, what they like, and rigs."""

from datetime import datetime
from typing import Any, Literal
from uuid import UUID

from pydantic import BaseModel, Field

from fleet_rival.api.schemas.base import Schema, ZoneName
from fleet_rival.core.words import (
    BoardOrder,
    BoardShow,
    Density,
    FoundKind,
    PressureUnit,
    Role,
    SpeedUnit,
    TemperatureUnit,
    Theme,
    VolumeUnit,
)
from fleet_rival.services.shared.roles import ALL


class Health(Schema):
    status: Literal["ok"]
    version: str


class SignInForm(Schema):
    name: str = Field(max_length=200)
    password: str = Field(max_length=200)


class Ticket(Schema):
    """What a page needs to change things: it can't read the cookie, so it shows this."""

    csrf_token: str


_PERMISSIONS: Any = {"items": {"type": "string", "enum": sorted(ALL)}}


class Units(Schema):
    speed: SpeedUnit = "km/h"
    temperature: TemperatureUnit = "°C"
    pressure: PressureUnit = "kPa"
    volume: VolumeUnit = "l"


class Preferences(Schema):
    speed: SpeedUnit | None = Field(default=None, description="The team's where None, as for all units")
    temperature: TemperatureUnit | None = None
    pressure: PressureUnit | None = None
    volume: VolumeUnit | None = None
    zone: ZoneName | None = Field(default=None, description="The browser's where None")
    theme: Theme | None = None
    density: Density | None = None
    board_order: BoardOrder | None = None
    board_show: BoardShow | None = None


class TeamChoice(Schema):
    id: UUID
    name: str
    role: Role


class WrongPasswords(Schema):
    count: int
    last_at: datetime


class Me(Schema):
    person: str
    sign_in_name: str
    team_id: UUID
    team_version: int
    team: str
    open_ranking: bool
    units: Units = Field(description="In which quantities are told to this person")
    team_units: Units = Field(description="In which where they choose nothing")
    role: Role
    may: list[str] = Field(description="What the role allows, by name", json_schema_extra=_PERMISSIONS)
    driver_id: UUID | None
    teams: list[TeamChoice]
    preferences: Preferences
    wrong_passwords: WrongPasswords | None = Field(description="Tried for this person's name in the last two weeks")


class Entered(Me):
    csrf_token: str
    last_event: int = Field(description="Events after this one aren't in what is asked for now")


class PasswordChange(Schema):
    old: str = Field(max_length=200)
    new: str = Field(max_length=200)


class OpenTeam(Schema):
    team_id: UUID


class BrowserOut(Schema):
    id: UUID
    browser: str
    began_at: datetime
    used_at: datetime
    this_one: bool


class Browsers(Schema):
    items: list[BrowserOut]


class BrowserPath(BaseModel):
    browser_id: UUID


class TeamChange(Schema):
    name: str = Field(min_length=1, max_length=120)
    open_ranking: bool
    units: Units = Units()


class MemberOut(Schema):
    id: UUID
    version: int
    person: str
    sign_in_name: str | None
    role: Role
    driver_id: UUID | None
    driver: str | None
    seen_at: datetime | None
    yourself: bool


class Members(Schema):
    items: list[MemberOut]


class MemberPath(BaseModel):
    member_id: UUID


class MemberChange(Schema):
    role: Role
    driver_id: UUID | None


class NewInvitation(Schema):
    name: str = Field(min_length=1, max_length=120)
    role: Role
    driver_id: UUID | None = None


class InvitedOut(Schema):
    id: UUID
    name: str
    role: Role
    driver: str | None
    expires_at: datetime


class Invitations(Schema):
    items: list[InvitedOut]


class NewInvitationOut(InvitedOut):
    link: str = Field(description="Path to hand on; it can't be seen again")


class InvitationPath(BaseModel):
    invitation_id: UUID


class Token(Schema):
    token: str = Field(max_length=100)


class WelcomeOut(Schema):
    team: str
    name: str
    role: Role
    expires_at: datetime


class Acceptance(Token):
    name: str = Field(min_length=1, max_length=120)
    sign_in_name: str = Field(max_length=200)
    password: str = Field(max_length=200)


class RigOut(Schema):
    id: UUID
    name: str
    made_by: str
    made_at: datetime
    used_at: datetime | None
    revoked: bool


class Rigs(Schema):
    items: list[RigOut]


class NewRig(Schema):
    name: str = Field(min_length=1, max_length=120)


class NewRigOut(Schema):
    id: UUID
    token: str = Field(description="It can't be seen again")


class RigPath(BaseModel):
    rig_id: UUID


class DriverRowOut(Schema):
    id: UUID
    version: int
    name: str
    guest: bool


class DriverRows(Schema):
    items: list[DriverRowOut]


class DriverRowPath(BaseModel):
    driver_id: UUID


class DriverChange(Schema):
    name: str = Field(min_length=1, max_length=120)
    guest: bool


class FoundOut(Schema):
    kind: FoundKind
    title: str
    more: str
    combination_id: UUID | None
    driver_id: UUID | None
    corner: str | None
    session: str | None
    run: int | None
    week_id: UUID | None
    car_id: UUID | None
    layout_id: UUID | None


class FoundList(Schema):
    items: list[FoundOut]


class SearchQuery(BaseModel):
    q: str = Field(max_length=120)
