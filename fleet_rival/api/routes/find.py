"""Figures and laps."""

from typing import Any

from flask_openapi3 import Tag

from fleet_rival.api import schemas as s
from fleet_rival.api.access import actor, allowed
from fleet_rival.api.blueprint import api, kept, sessions
from fleet_rival.services import beside, find, pace, search

_find = Tag(name="find")


@api.get("/combinations/<uuid:combination_id>/analysis", responses={"200": s.AnalysisOut}, tags=[_find])
@allowed("manager", "coach", "driver")
def get_analysis(path: s.CombinationPath, query: s.OfWeek) -> Any:
    """All drivers' figures and ladders; a driver's own, unless the team opened the others'."""
    return kept(*find.summary(sessions(), actor(), path.combination_id, query.week))


@api.get("/combinations/<uuid:combination_id>/drivers/<uuid:driver_id>/laps", responses={"200": s.DriverLaps}, tags=[_find])
@allowed("manager", "coach", "driver")
def get_driver_laps(path: s.DriverPath, query: s.OfWeek) -> Any:
    """One driver's laps with marks, times and losses by part."""
    return kept(*find.driver_laps(sessions(), actor(), path.combination_id, path.driver_id, query.week))


@api.get("/combinations/<uuid:combination_id>/drivers/<uuid:driver_id>/pace", responses={"200": s.DriverPace}, tags=[_find])
@allowed("manager", "coach", "driver")
def get_driver_pace(path: s.DriverPath, query: s.OfWeek) -> Any:
    """How alike one driver's laps are, how pace goes over a run, what is left to learn, and what options were worth."""
    return kept(*pace.driver_pace(sessions(), actor(), path.combination_id, path.driver_id, query.week))


@api.get("/combinations/<uuid:combination_id>/drivers/<uuid:driver_id>/versus", responses={"200": s.VersusOut}, tags=[_find])
@allowed("manager", "coach", "driver")
def get_versus(path: s.DriverPath, query: s.VersusQuery) -> Any:
    """Two runs, or two ways to drive one, lap by lap and over a distance."""
    where = (path.combination_id, path.driver_id, (query.first, query.second))
    told = pace.two_ways(sessions(), actor(), *where, query.laps, query.stops, round(query.stop_s * 1_000_000), query.week)
    return s.validate(s.VersusOut, told)


@api.get("/combinations/<uuid:combination_id>/beside", responses={"200": s.BesideOut}, tags=[_find])
@allowed("manager", "coach", "driver")
def get_beside(path: s.CombinationPath, query: s.OfWeek) -> Any:
    """Segments by drivers, and who could show whom; a driver's own beside the team's best parts."""
    return kept(*beside.beside(sessions(), actor(), path.combination_id, query.week))


@api.get("/search", responses={"200": s.FoundList}, tags=[_find])
@allowed("manager", "coach", "driver")
def get_search(query: s.SearchQuery) -> Any:
    """Drivers, combinations, corners and runs that hold every word."""
    return s.validate(s.FoundList, {"items": search.search(sessions(), actor(), query.q)})
