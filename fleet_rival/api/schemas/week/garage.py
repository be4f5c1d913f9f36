"""Cars, drivers' profiles, and what drivers share."""

from datetime import date, time
from typing import Annotated
from uuid import UUID

from pydantic import BaseModel, Field, field_serializer

from fleet_rival.api.schemas.base import Day, Schema, WallClock
from fleet_rival.core.words import PressureUnit, ResourceKind, SpeedUnit, TemperatureUnit, VolumeUnit
from fleet_rival.services.week.cars import CarPlace as CarPlaceValue
from fleet_rival.services.week.cars import CarRow, Consumption
from fleet_rival.services.week.cars import CarWeek as CarWeekValue
from fleet_rival.services.week.profiles import CarAllowed as CarAllowedValue

Text = Annotated[str, Field(max_length=120)]
_Clock = Annotated[str, Field(pattern=r"^([01][0-9]|2[0-3]):[0-5][0-9]$")]
Amount = Annotated[float, Field(ge=0, le=10_000)]


class CarSetting(Schema):
    name: str = Field(min_length=1, max_length=120)
    unit: str | None = Field(default=None, max_length=16)
    low: float | None = None
    high: float | None = None
    step: float | None = Field(default=None, gt=0)
    default: float | None = None
    does: str | None = Field(default=None, max_length=500)


class CarFacts(Schema):
    name: str = Field(min_length=1, max_length=120)
    car_class: Text | None = None
    drive: Text | None = None
    gears: int | None = Field(default=None, ge=1, le=20)
    limiter_rpm: int | None = Field(default=None, ge=0, le=50_000)
    shift_rpm: list[Annotated[int, Field(ge=0, le=50_000)]] = Field(default_factory=list, max_length=20)
    assists: list[Text] = Field(default_factory=list, max_length=20)
    settings: list[CarSetting] = Field(default_factory=list, max_length=60)
    traits: list[Annotated[str, Field(max_length=500)]] = Field(default_factory=list, max_length=30)
    cold_laps: int | None = Field(default=None, ge=0, le=20)
    tank_l: Amount | None = None
    battery_kwh: Amount | None = None
    note: str | None = Field(default=None, max_length=5000)
    restricted: bool = False


class CarChange(CarFacts):
    driver_ids: list[UUID] = Field(default_factory=list, max_length=200)


class CarConsumption(Schema, of=Consumption):
    pass


class CarPlace(Schema, of=CarPlaceValue):
    pass


class CarWeek(Schema, of=CarWeekValue):
    begins: date


class CarOut(CarFacts):
    id: UUID
    version: int
    driver_ids: list[UUID]
    consumption: list[CarConsumption]
    places: list[CarPlace]
    weeks: list[CarWeek]


class CarRowOut(Schema, of=CarRow):
    pass


class CarRows(Schema):
    items: list[CarRowOut]


class NewCar(Schema):
    name: str = Field(min_length=1, max_length=120)


class Clock(Schema):
    """Hours of a day, without a zone."""

    begins: time
    ends: time

    @field_serializer("begins", "ends")
    def as_minutes(self, value: time) -> str:
        return value.strftime("%H:%M")


class Window(Clock):
    days: list[Annotated[int, Field(ge=0, le=6)]] = Field(min_length=1, max_length=7)


class DayOff(Schema):
    first: Day
    last: Day
    why: str | None = Field(default=None, max_length=120)


class Slot(Schema):
    begins: WallClock
    ends: WallClock


class Availability(Schema):
    weekly: list[Window] = Field(default_factory=list, max_length=50)
    off: list[DayOff] = Field(default_factory=list, max_length=100)
    extra: list[Slot] = Field(default_factory=list, max_length=100)


class DriverAssists(Schema):
    abs: Text | None = None
    traction: Text | None = None
    shifting: Text | None = None
    line: Text | None = None


class DriverSight(Schema):
    field_of_view_deg: float | None = Field(default=None, ge=5, le=360)
    screens: int | None = Field(default=None, ge=1, le=9)
    words: str | None = Field(default=None, max_length=500)


class DriverUnits(Schema):
    speed: SpeedUnit | None = None
    temperature: TemperatureUnit | None = None
    pressure: PressureUnit | None = None
    fuel: VolumeUnit | None = None


class DriverCare(Schema):
    seat_limit_minutes: float | None = Field(
        default=None, ge=10, le=180, allow_inf_nan=False, description="Driven without a break; None: as usual"
    )
    break_minutes: float | None = Field(default=None, ge=5, le=120, allow_inf_nan=False)
    day_limit_minutes: float | None = Field(default=None, ge=10, le=600, allow_inf_nan=False)
    quiet_from: _Clock | None = Field(default=None, description="Nothing is planned from here on, in the driver's zone")
    quiet_to: _Clock | None = None


class ProfileChange(Schema):
    nickname: Text | None = None
    zone: str | None = Field(default=None, max_length=64)
    assists: DriverAssists = Field(default_factory=DriverAssists)
    controls: str | None = Field(default=None, max_length=500)
    view: DriverSight = Field(default_factory=DriverSight)
    preferences: str | None = Field(default=None, max_length=5000)
    units: DriverUnits = Field(default_factory=DriverUnits)
    availability: Availability = Field(default_factory=Availability)
    care: DriverCare = Field(default_factory=DriverCare)


class CarAllowed(Schema, of=CarAllowedValue):
    pass


class ProfileOut(ProfileChange):
    id: UUID
    version: int
    name: str
    guest: bool
    usual_care: DriverCare
    cars: list[CarAllowed]


class ProfileRows(Schema):
    items: list[ProfileOut]


class NewDriver(Schema):
    name: str = Field(min_length=1, max_length=120)


class ResourceChange(Schema):
    name: str = Field(min_length=1, max_length=120)
    zone: str | None = Field(default=None, max_length=64)
    availability: Availability = Field(default_factory=Availability)
    note: str | None = Field(default=None, max_length=2000)


class ResourceOut(ResourceChange):
    id: UUID
    version: int
    kind: ResourceKind


class ResourceRows(Schema):
    items: list[ResourceOut]


class NewResource(Schema):
    name: str = Field(min_length=1, max_length=120)
    kind: ResourceKind


class CarPath(BaseModel):
    car_id: UUID


class ResourcePath(BaseModel):
    resource_id: UUID
