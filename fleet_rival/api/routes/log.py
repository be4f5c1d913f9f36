"""Afterwards: what races brought beside what was expected of them, what was learned, and how it comes back."""

from typing import Any

from flask_openapi3 import Tag

from fleet_rival.api import schemas as s
from fleet_rival.api.access import actor, allowed
from fleet_rival.api.blueprint import api, sessions
from fleet_rival.services.log import debrief, lessons, results, season_book, written

_log = Tag(name="log")


@api.get("/written", responses={"200": s.WrittenList}, tags=[_log])
@allowed("log.see")
def list_written(query: s.WrittenQuery) -> Any:
    """Everything that people wrote in which every word stands; for a driver, of driving the own alone."""
    where = {"layout_id": query.layout, "car_id": query.car, "driver_id": query.driver}
    return s.validate(s.WrittenList, {"items": written.written(sessions(), actor(), query.q, kind=query.kind, **where)})


@api.get("/lessons", responses={"200": s.LessonList}, tags=[_log])
@allowed("log.see")
def list_lessons(query: s.LessonQuery) -> Any:
    """What was learned; for a driver what isn't another driver's."""
    ties = {"layout_id": query.layout, "car_id": query.car, "series_id": query.series, "driver_id": query.driver}
    return s.validate(s.LessonList, {"items": lessons.lessons(sessions(), actor(), query.q, **ties)})


@api.get("/weeks/<uuid:week_id>/lessons", responses={"200": s.LessonList}, tags=[_log])
@allowed("log.see")
def list_lessons_of_week(path: s.WeekPath) -> Any:
    """What comes back in a series' week, since its track, car, series or drivers do."""
    return s.validate(s.LessonList, {"items": lessons.lessons_of_week(sessions(), actor(), path.week_id)})


@api.post("/lessons", responses={"201": s.LessonMade}, tags=[_log])
@allowed("lesson.add")
def add_lesson(body: s.LessonBody) -> Any:
    """Write down what was learned; who leads confirms it by that."""
    return s.validate(s.LessonMade, {"id": lessons.add_lesson(sessions(), actor(), body.model_dump())}), 201


@api.put("/lessons/<uuid:lesson_id>", responses={"204": None}, tags=[_log])
@allowed("lesson.change")
def change_lesson(path: s.LessonPath, header: s.Version, body: s.LessonBody) -> Any:
    """Change it; a driver the own ones that aren't confirmed yet."""
    lessons.change_lesson(sessions(), actor(), path.lesson_id, header.number, body.model_dump())
    return "", 204


@api.post("/lessons/<uuid:lesson_id>/confirm", responses={"204": None}, tags=[_log])
@allowed("lesson.confirm")
def confirm_lesson(path: s.LessonPath, header: s.Version) -> Any:
    """Confirm it: it comes back from now on."""
    lessons.confirm_lesson(sessions(), actor(), path.lesson_id, header.number)
    return "", 204


@api.delete("/lessons/<uuid:lesson_id>", responses={"204": None}, tags=[_log])
@allowed("lesson.remove")
def remove_lesson(path: s.LessonPath, header: s.Version) -> Any:
    """Take it out; a driver the own ones that aren't confirmed yet."""
    lessons.remove_lesson(sessions(), actor(), path.lesson_id, header.number)
    return "", 204


@api.get("/results", responses={"200": s.RacesBehind}, tags=[_log])
@allowed("log.see")
def list_results() -> Any:
    """Races that are over with their results, the last one first, and how good what was expected of them was; a
    driver's own.
    """
    return s.validate(s.RacesBehind, debrief.races_behind(sessions(), actor()))


@api.get("/races/<uuid:entered_id>/debrief", responses={"200": s.DebriefOut}, tags=[_log])
@allowed("log.see")
def get_debrief(path: s.EntryIdPath) -> Any:
    """An entry's race afterwards; a driver's own."""
    return s.validate(s.DebriefOut, debrief.debrief(sessions(), actor(), path.entered_id))


@api.post("/races/<uuid:entered_id>/results", responses={"201": s.ResultMade}, tags=[_log])
@allowed("result.add")
def add_result(path: s.EntryIdPath, body: s.ResultBody) -> Any:
    """Write down what a start brought; a driver the own ones."""
    return s.validate(
        s.ResultMade, {"id": results.add_result(sessions(), actor(), path.entered_id, body.model_dump())}
    ), 201


@api.put("/results/<uuid:result_id>", responses={"204": None}, tags=[_log])
@allowed("result.change")
def change_result(path: s.ResultPath, header: s.Version, body: s.ResultBody) -> Any:
    """Change it; if it is still as it was looked at."""
    results.change_result(sessions(), actor(), path.result_id, header.number, body.model_dump())
    return "", 204


@api.delete("/results/<uuid:result_id>", responses={"204": None}, tags=[_log])
@allowed("result.remove")
def remove_result(path: s.ResultPath, header: s.Version) -> Any:
    """Take it out."""
    results.remove_result(sessions(), actor(), path.result_id, header.number)
    return "", 204


@api.get("/drivers/<uuid:driver_id>/season", responses={"200": s.SeasonBook}, tags=[_log])
@allowed("log.see")
def get_season(path: s.OfDriver) -> Any:
    """A driver's season on one page; a driver's own, unless the team opened the rest."""
    return s.validate(s.SeasonBook, season_book.season_book(sessions(), actor(), path.driver_id))


@api.get("/drivers/<uuid:driver_id>/season/mistakes", responses={"200": s.SeasonMistakes}, tags=[_log])
@allowed("log.see")
def get_season_mistakes(path: s.OfDriver) -> Any:
    """What recurred in which week of a driver's season."""
    return s.validate(s.SeasonMistakes, season_book.season_mistakes(sessions(), actor(), path.driver_id))
