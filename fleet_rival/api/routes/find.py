"""Figures and laps."""

from contextlib import suppress
from typing import Any

from flask_openapi3 import Tag

from fleet_rival.api import schemas as s
from fleet_rival.api.access import actor, allowed, units
from fleet_rival.api.blueprint import api, background, download, kept, sessions
from fleet_rival.jobs import kinds
from fleet_rival.services.find import beside, figures, pace, printing, sharing, steadiness, two_ways, tyres
from fleet_rival.services.shared import search
from fleet_rival.services.shared.errors import Conflict

_find = Tag(name="find")


@api.get("/combinations/<uuid:combination_id>/analysis", responses={"200": s.AnalysisOut}, tags=[_find])
@allowed("find.see")
def get_analysis(path: s.CombinationPath, query: s.OfWeek) -> Any:
    """All drivers' figures and ladders; a driver's own, unless the team opened the others'."""
    return kept(*figures.summary(sessions(), actor(), path.combination_id, query.week, query.also))


@api.get(
    "/combinations/<uuid:combination_id>/drivers/<uuid:driver_id>/laps", responses={"200": s.DriverLaps}, tags=[_find]
)
@allowed("find.see")
def get_driver_laps(path: s.DriverPath, query: s.OfWeek) -> Any:
    """One driver's laps with marks, times and losses by part."""
    return kept(*figures.driver_laps(sessions(), actor(), path.combination_id, path.driver_id, query.week, query.also))


@api.get(
    "/combinations/<uuid:combination_id>/drivers/<uuid:driver_id>/pace", responses={"200": s.DriverPace}, tags=[_find]
)
@allowed("find.see")
def get_driver_pace(path: s.DriverPath, query: s.OfWeek) -> Any:
    """How alike one driver's laps are, how pace goes over a run, what is left to learn, and what options were worth."""
    return kept(*pace.driver_pace(sessions(), actor(), path.combination_id, path.driver_id, query.week, query.also))


@api.get(
    "/combinations/<uuid:combination_id>/drivers/<uuid:driver_id>/versus", responses={"200": s.VersusOut}, tags=[_find]
)
@allowed("find.see")
def get_versus(path: s.DriverPath, query: s.VersusQuery) -> Any:
    """Two runs, or two ways to drive one, lap by lap and over a distance."""
    return s.validate(s.VersusOut, _versus(path, query))


def _versus(path: s.DriverPath, query: s.VersusQuery) -> dict[str, Any]:
    where = (path.combination_id, path.driver_id, (query.first, query.second))
    return two_ways.two_ways(
        sessions(), actor(), *where, query.laps, query.stops, round(query.stop_s * 1_000_000), query.week, query.also
    )


@api.get("/drivers/<uuid:driver_id>/steadiness", responses={"200": s.SteadinessOut}, tags=[_find])
@allowed("find.see")
def get_steadiness(path: s.OfDriver) -> Any:
    """How alike a driver's laps were, week by week, beside the team's."""
    found = steadiness.steadiness(sessions(), actor(), path.driver_id)
    if found.behind:
        with suppress(Conflict):
            background(kinds.STEADINESS, "Working out a driver's weeks", kinds.AskedSteadiness(path.driver_id))
    return s.validate(s.SteadinessOut, found)


@api.get("/combinations/<uuid:combination_id>/beside", responses={"200": s.BesideOut}, tags=[_find])
@allowed("find.see")
def get_beside(path: s.CombinationPath, query: s.OfWeek) -> Any:
    """Segments by drivers, and who could show whom; a driver's own beside the team's best parts."""
    return kept(*beside.beside(sessions(), actor(), path.combination_id, query.week, query.also))


@api.get("/combinations/<uuid:combination_id>/tyres", responses={"200": s.TrackTyresOut}, tags=[_find])
@allowed("find.see")
def get_tyres(path: s.CombinationPath) -> Any:
    """Which corners eat tyres, told by all drivers' laps; without names."""
    return kept(*tyres.team_tyres(sessions(), actor(), path.combination_id))


_CSV: Any = {"200": {"content": {"text/csv": {"schema": {"type": "string"}}}}}
_PDF: Any = {"200": {"content": {"application/pdf": {"schema": {"type": "string", "format": "binary"}}}}}


@api.get(
    "/combinations/<uuid:combination_id>/figures",
    responses={"200": {"content": {"text/csv": {}, "application/json": {}}}},
    tags=[_find],
)
@allowed("find.see")
def get_figures(path: s.CombinationPath, query: s.FiguresQuery) -> Any:
    """A view's figures to take along, as CSV or JSON."""
    make = sharing.figures_csv if query.form == "csv" else sharing.figures_json
    body = make(sessions(), actor(), path.combination_id, query.what, query.driver, query.week, query.also)
    return download(body, "text/csv" if query.form == "csv" else "application/json", f"{query.what}.{query.form}")


@api.get("/combinations/<uuid:combination_id>/drivers/<uuid:driver_id>/versus.csv", responses=_CSV, tags=[_find])
@allowed("find.see")
def get_versus_csv(path: s.DriverPath, query: s.VersusQuery) -> Any:
    """Two runs, or two ways to drive one, lap by lap, as CSV."""
    return download(sharing.versus_csv(_versus(path, query)), "text/csv", "versus.csv")


@api.get("/combinations/<uuid:combination_id>/drivers/<uuid:driver_id>/report.pdf", responses=_PDF, tags=[_find])
@allowed("find.see")
def get_driver_pdf(path: s.DriverPath, query: s.OfWeek) -> Any:
    """A driver's figures on two pages of paper."""
    body = printing.driver_pdf(
        sessions(), actor(), path.combination_id, path.driver_id, query.week, query.also, units()
    )
    return download(body, "application/pdf", "report.pdf")


@api.get(
    "/combinations/<uuid:combination_id>/drivers/<uuid:driver_id>/report", responses={"200": s.ReportText}, tags=[_find]
)
@allowed("find.see")
def get_driver_text(path: s.DriverPath, query: s.OfWeek) -> Any:
    """A driver's figures in at most 15 lines, for a chat."""
    text = sharing.driver_text(sessions(), actor(), path.combination_id, path.driver_id, query.week, query.also)
    return s.validate(s.ReportText, {"text": text})


@api.get("/search", responses={"200": s.FoundList}, tags=[_find])
@allowed("find.see")
def get_search(query: s.SearchQuery) -> Any:
    """Drivers, combinations, corners and runs that hold every word."""
    return s.validate(s.FoundList, {"items": search.search(sessions(), actor(), query.q)})
