"""People, what they like, and rigs."""

from typing import Any, Literal
from uuid import UUID

from pydantic import BaseModel, Field

from fleet_rival.api.schemas.base import Schema, ZoneName
from fleet_rival.core.words import (
    BoardOrder,
    BoardShow,
    Density,
    PressureUnit,
    Role,
    SpeedUnit,
    TemperatureUnit,
    Theme,
    VolumeUnit,
)
from fleet_rival.services.people.guessing import Wrong
from fleet_rival.services.people.invitations import Invited, Welcome
from fleet_rival.services.people.members import DriverRow, Member
from fleet_rival.services.people.members import Me as MeValue
from fleet_rival.services.people.members import TeamChoice as TeamChoiceValue
from fleet_rival.services.people.rigs import Rig
from fleet_rival.services.people.sign_in import Browser
from fleet_rival.services.shared.roles import ALL
from fleet_rival.services.shared.search import Found


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


class TeamChoice(Schema, of=TeamChoiceValue):
    role: Role


class WrongPasswords(Schema, of=Wrong):
    pass


class Me(Schema, of=MeValue):
    units: Units = Field(description="In which quantities are told to this person")
    team_units: Units = Field(description="In which where they choose nothing")
    role: Role
    may: list[str] = Field(description="What the role allows, by name", json_schema_extra=_PERMISSIONS)
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


class BrowserOut(Schema, of=Browser):
    pass


class Browsers(Schema):
    items: list[BrowserOut]


class BrowserPath(BaseModel):
    browser_id: UUID


class TeamChange(Schema):
    name: str = Field(min_length=1, max_length=120)
    open_ranking: bool
    units: Units = Units()


class MemberOut(Schema, of=Member):
    role: Role


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


class InvitedOut(Schema, of=Invited):
    role: Role


class Invitations(Schema):
    items: list[InvitedOut]


class NewInvitationOut(InvitedOut):
    link: str = Field(description="Path to hand on; it can't be seen again")


class InvitationPath(BaseModel):
    invitation_id: UUID


class Token(Schema):
    token: str = Field(max_length=100)


class WelcomeOut(Schema, of=Welcome):
    role: Role


class Acceptance(Token):
    name: str = Field(min_length=1, max_length=120)
    sign_in_name: str = Field(max_length=200)
    password: str = Field(max_length=200)


class RigOut(Schema, of=Rig):
    pass


class Rigs(Schema):
    items: list[RigOut]


class NewRig(Schema):
    name: str = Field(min_length=1, max_length=120)


class NewRigOut(Schema):
    id: UUID
    token: str = Field(description="It can't be seen again")


class RigPath(BaseModel):
    rig_id: UUID


class DriverRowOut(Schema, of=DriverRow):
    pass


class DriverRows(Schema):
    items: list[DriverRowOut]


class DriverRowPath(BaseModel):
    driver_id: UUID


class DriverChange(Schema):
    name: str = Field(min_length=1, max_length=120)
    guest: bool


class FoundOut(Schema, of=Found):
    pass


class FoundList(Schema):
    items: list[FoundOut]


class SearchQuery(BaseModel):
    q: str = Field(max_length=120)
