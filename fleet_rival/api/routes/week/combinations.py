"""Combinations."""

from typing import Any

from flask_openapi3 import Tag

from fleet_rival.api import schemas as s
from fleet_rival.api.access import actor, allowed
from fleet_rival.api.blueprint import api, sessions, telling_current
from fleet_rival.core.season.targets import Benchmark, Target
from fleet_rival.services.drive import practice
from fleet_rival.services.week import combinations

_week = Tag(name="week")


@api.get("/combinations", responses={"200": s.Combinations}, tags=[_week])
@allowed("week.see")
def list_combinations() -> Any:
    """All combinations of the team, newest first."""
    return s.validate(s.Combinations, {"items": combinations.combinations(sessions(), actor())})


@api.post("/combinations", responses={"201": s.CombinationOut}, tags=[_week])
@allowed("combination.add")
def add_combination(body: s.NewCombination) -> Any:
    """Make a combination of a layout and a car."""
    return s.validate(
        s.CombinationOut, combinations.add_combination(sessions(), actor(), body.layout_id, body.car)
    ), 201


@api.get("/combinations/<uuid:combination_id>", responses={"200": s.CombinationOut}, tags=[_week])
@allowed("week.see")
def get_combination(path: s.CombinationPath) -> Any:
    """One combination and the drivers with laps in it."""
    return s.validate(s.CombinationOut, combinations.combination(sessions(), actor(), path.combination_id))


@api.put("/combinations/<uuid:combination_id>", responses={"200": s.CombinationOut}, tags=[_week])
@allowed("combination.change")
def change_combination(path: s.CombinationPath, header: s.Version, body: s.CombinationChange) -> Any:
    """Change a combination's note and settings, if it is still as it was looked at."""
    settings = body.model_dump(exclude={"note", "thresholds"})
    with telling_current(s.CombinationOut, lambda: combinations.combination(sessions(), actor(), path.combination_id)):
        view = combinations.change_combination(
            sessions(), actor(), path.combination_id, header.number, body.note, settings, body.thresholds
        )
    return s.validate(s.CombinationOut, view)


@api.get("/thresholds", responses={"200": s.Thresholds}, tags=[_week])
@allowed("week.see")
def get_thresholds() -> Any:
    """The thresholds of the calculations that may be set for one combination, with their defaults."""
    return s.validate(s.Thresholds, {"items": combinations.thresholds()})


@api.put("/combinations/<uuid:combination_id>/target", responses={"200": s.CombinationOut}, tags=[_week])
@allowed("combination.target")
def set_target(path: s.CombinationPath, header: s.Version, body: s.TargetChange) -> Any:
    """Set what a combination's drivers prepare for, if it is still as it was looked at."""
    target = Target(**body.target.model_dump()) if body.target else None
    benchmark = Benchmark(**body.benchmark.model_dump()) if body.benchmark else None
    limits = (body.strike_limit, body.incident_limit)
    with telling_current(s.CombinationOut, lambda: combinations.combination(sessions(), actor(), path.combination_id)):
        view = combinations.set_target(
            sessions(), actor(), path.combination_id, header.number, target, benchmark, limits
        )
    return s.validate(s.CombinationOut, view)


@api.get("/combinations/<uuid:combination_id>/sessions", responses={"200": s.Practices}, tags=[_week])
@allowed("week.see")
def list_practices(path: s.CombinationPath) -> Any:
    """A combination's sessions and their conditions; a driver's own."""
    return s.validate(s.Practices, {"items": practice.practices(sessions(), actor(), path.combination_id)})


@api.put("/sessions/<uuid:session_id>", responses={"200": s.PracticeOut}, tags=[_week])
@allowed("session.change")
def change_practice(path: s.PracticePath, header: s.Version, body: s.PracticeChange) -> Any:
    """Say in which conditions a session was driven."""
    return s.validate(
        s.PracticeOut, practice.change_practice(sessions(), actor(), path.session_id, header.number, body.model_dump())
    )


@api.delete("/combinations/<uuid:combination_id>", responses={"204": None}, tags=[_week])
@allowed("combination.remove")
def remove_combination(path: s.CombinationPath) -> Any:
    """Remove a combination that has nothing in it."""
    combinations.remove_combination(sessions(), actor(), path.combination_id)
    return "", 204
