"""Cars, drivers' profiles, and what drivers share."""

from typing import Any

from flask_openapi3 import Tag

from fleet_rival.api import schemas as s
from fleet_rival.api.access import actor, allowed
from fleet_rival.api.blueprint import api, sessions, telling_current
from fleet_rival.services.week import cars, profiles

_garage = Tag(name="garage")


@api.get("/cars", responses={"200": s.CarRows}, tags=[_garage])
@allowed("week.see")
def list_cars() -> Any:
    """The team's cars."""
    return s.validate(s.CarRows, {"items": cars.cars(sessions(), actor())})


@api.post("/cars", responses={"201": s.CarOut}, tags=[_garage])
@allowed("car.add")
def add_car(body: s.NewCar) -> Any:
    """Make a car by its name."""
    return s.validate(s.CarOut, cars.add_car(sessions(), actor(), body.name)), 201


@api.get("/cars/<uuid:car_id>", responses={"200": s.CarOut}, tags=[_garage])
@allowed("week.see")
def get_car(path: s.CarPath) -> Any:
    """A car's page."""
    return s.validate(s.CarOut, cars.car(sessions(), actor(), path.car_id))


@api.put("/cars/<uuid:car_id>", responses={"200": s.CarOut}, tags=[_garage])
@allowed("car.change")
def change_car(path: s.CarPath, header: s.Version, body: s.CarChange) -> Any:
    """Write what is known of a car, if it is still as it was looked at."""
    with telling_current(s.CarOut, lambda: cars.car(sessions(), actor(), path.car_id)):
        view = cars.change_car(
            sessions(), actor(), path.car_id, header.number, body.model_dump(exclude={"driver_ids"}), body.driver_ids
        )
    return s.validate(s.CarOut, view)


@api.delete("/cars/<uuid:car_id>", responses={"204": None}, tags=[_garage])
@allowed("car.remove")
def remove_car(path: s.CarPath) -> Any:
    """Remove a car that nothing refers to."""
    cars.remove_car(sessions(), actor(), path.car_id)
    return "", 204


@api.get("/profiles", responses={"200": s.ProfileRows}, tags=[_garage])
@allowed("week.see")
def list_profiles() -> Any:
    """How the drivers drive, see and have time; a driver sees the own self."""
    return s.validate(s.ProfileRows, {"items": profiles.profiles(sessions(), actor())})


@api.post("/profiles", responses={"201": s.ProfileOut}, tags=[_garage])
@allowed("driver.add")
def add_driver(body: s.NewDriver) -> Any:
    """Make a driver who has no laps yet."""
    return s.validate(s.ProfileOut, profiles.add_driver(sessions(), actor(), body.name)), 201


@api.get("/profiles/<uuid:driver_id>", responses={"200": s.ProfileOut}, tags=[_garage])
@allowed("week.see")
def get_profile(path: s.DriverRowPath) -> Any:
    """One driver; for a driver the own self alone."""
    return s.validate(s.ProfileOut, profiles.profile(sessions(), actor(), path.driver_id))


@api.put("/profiles/<uuid:driver_id>", responses={"200": s.ProfileOut}, tags=[_garage])
@allowed("driver.profile")
def change_profile(path: s.DriverRowPath, header: s.Version, body: s.ProfileChange) -> Any:
    """Write a driver's profile; a driver the own one alone."""
    values = body.model_dump(mode="json", exclude_unset=True)
    with telling_current(s.ProfileOut, lambda: profiles.profile(sessions(), actor(), path.driver_id)):
        view = profiles.change_profile(sessions(), actor(), path.driver_id, header.number, values)
    return s.validate(s.ProfileOut, view)


@api.delete("/profiles/<uuid:driver_id>", responses={"204": None}, tags=[_garage])
@allowed("driver.remove")
def remove_driver(path: s.DriverRowPath) -> Any:
    """Remove a driver who has no laps and no entries."""
    profiles.remove_driver(sessions(), actor(), path.driver_id)
    return "", 204


@api.get("/resources", responses={"200": s.ResourceRows}, tags=[_garage])
@allowed("week.see")
def list_resources() -> Any:
    """Shared rigs and coaches with their hours."""
    return s.validate(s.ResourceRows, {"items": profiles.resources(sessions(), actor())})


@api.post("/resources", responses={"201": s.ResourceOut}, tags=[_garage])
@allowed("resource.add")
def add_resource(body: s.NewResource) -> Any:
    """Name a shared rig or a coach."""
    return s.validate(s.ResourceOut, profiles.add_resource(sessions(), actor(), body.name, body.kind)), 201


@api.put("/resources/<uuid:resource_id>", responses={"200": s.ResourceOut}, tags=[_garage])
@allowed("resource.change")
def change_resource(path: s.ResourcePath, header: s.Version, body: s.ResourceChange) -> Any:
    """Write a shared thing anew, if it is still as it was looked at."""

    def current() -> Any:
        return next((item for item in profiles.resources(sessions(), actor()) if item.id == path.resource_id), None)

    with telling_current(s.ResourceOut, current):
        view = profiles.change_resource(
            sessions(), actor(), path.resource_id, header.number, body.model_dump(mode="json")
        )
    return s.validate(s.ResourceOut, view)


@api.delete("/resources/<uuid:resource_id>", responses={"204": None}, tags=[_garage])
@allowed("resource.remove")
def remove_resource(path: s.ResourcePath) -> Any:
    """Remove a shared thing that no entry needs."""
    profiles.remove_resource(sessions(), actor(), path.resource_id)
    return "", 204
