"""Series, their weeks, files and calendars, and who drives in them."""

from typing import Any

from flask import Response
from flask_openapi3 import Tag

from fleet_rival.api import schemas as s
from fleet_rival.api.access import actor, allowed
from fleet_rival.api.blueprint import api, sent_file, sessions, telling_current
from fleet_rival.core.season.weeks import Changeable, Compound, SeriesWeek
from fleet_rival.services.find import knowledge
from fleet_rival.services.plan import calendars
from fleet_rival.services.shared.errors import NotThere
from fleet_rival.services.week import entries, season_files, series

_season = Tag(name="season")
_SHEET = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
_TEXTS = ("track", "layout", "starts", "damage", "repairs", "boost", "limits_rule", "note")
_binary: Any = {"schema": {"type": "string", "format": "binary"}}


@api.get("/series", responses={"200": s.SeriesList}, tags=[_season])
@allowed("week.see")
def list_series() -> Any:
    """The team's series."""
    return s.validate(s.SeriesList, {"items": series.series(sessions(), actor())})


@api.post("/series", responses={"201": s.SeriesOut}, tags=[_season])
@allowed("series.add")
def add_series(body: s.SeriesChange) -> Any:
    """Make a series; its weeks come later."""
    return s.validate(s.SeriesOut, series.add_series(sessions(), actor(), body.name, body.note)), 201


@api.put("/series/<uuid:series_id>", responses={"204": None}, tags=[_season])
@allowed("series.change")
def change_series(path: s.SeriesPath, header: s.Version, body: s.SeriesChange) -> Any:
    """Rename a series, or change its note."""
    with telling_current(
        s.SeriesList, lambda: {"items": [row for row in series.series(sessions(), actor()) if row.id == path.series_id]}
    ):
        series.change_series(sessions(), actor(), path.series_id, header.number, body.name, body.note)
    return "", 204


@api.put("/series/<uuid:series_id>/counting", responses={"204": None}, tags=[_season])
@allowed("series.counting")
def set_counting(path: s.SeriesPath, header: s.Version, body: s.SeriesCounting) -> Any:
    """Say how many weeks of a series count; if it is still as it was looked at."""
    series.set_counting(sessions(), actor(), path.series_id, header.number, body.best_weeks, body.starts_count)
    return "", 204


@api.delete("/series/<uuid:series_id>", responses={"204": None}, tags=[_season])
@allowed("series.remove")
def remove_series(path: s.SeriesPath) -> Any:
    """Remove a series with its weeks, if nobody is entered in one."""
    series.remove_series(sessions(), actor(), path.series_id)
    return "", 204


@api.get("/series/<uuid:series_id>/weeks", responses={"200": s.SeriesWeeks}, tags=[_season])
@allowed("week.see")
def list_weeks(path: s.SeriesPath) -> Any:
    """The weeks of a series, with their start times."""
    return s.validate(s.SeriesWeeks, {"items": series.weeks(sessions(), actor(), path.series_id)})


@api.post("/series/<uuid:series_id>/weeks", responses={"201": s.SeriesWeekOut}, tags=[_season])
@allowed("week.add")
def add_week(path: s.SeriesPath, body: s.WeekFacts) -> Any:
    """Add a week to a series."""
    return s.validate(s.SeriesWeekOut, series.add_week(sessions(), actor(), path.series_id, _facts(body))), 201


@api.get("/weeks/<uuid:week_id>", responses={"200": s.SeriesWeekOut}, tags=[_season])
@allowed("week.see")
def get_week(path: s.WeekPath) -> Any:
    """One week."""
    return s.validate(s.SeriesWeekOut, series.week(sessions(), actor(), path.week_id))


@api.put("/weeks/<uuid:week_id>", responses={"200": s.SeriesWeekOut}, tags=[_season])
@allowed("week.change")
def change_week(path: s.WeekPath, header: s.Version, body: s.WeekFacts) -> Any:
    """Write a week anew, if it is still as it was looked at."""
    with telling_current(s.SeriesWeekOut, lambda: series.week(sessions(), actor(), path.week_id)):
        view = series.change_week(sessions(), actor(), path.week_id, header.number, _facts(body))
    return s.validate(s.SeriesWeekOut, view)


@api.delete("/weeks/<uuid:week_id>", responses={"204": None}, tags=[_season])
@allowed("week.remove")
def remove_week(path: s.WeekPath) -> Any:
    """Remove a week that nobody is entered in."""
    series.remove_week(sessions(), actor(), path.week_id)
    return "", 204


@api.get("/weeks/<uuid:week_id>/knowledge", responses={"200": s.KnowledgeOut}, tags=[_season])
@allowed("week.see")
def get_knowledge(path: s.WeekPath) -> Any:
    """What is known for a week from earlier times; a driver sees the own laps."""
    return s.validate(s.KnowledgeOut, knowledge.knowledge(sessions(), actor(), path.week_id))


@api.get(
    "/series/<uuid:series_id>/season.csv",
    responses={"200": {"content": {"text/csv": {"schema": {"type": "string"}}}}},
    tags=[_season],
)
@allowed("week.see")
def export_season(path: s.SeriesPath) -> Any:
    """A series as a season file."""
    name, content = season_files.export(sessions(), actor(), path.series_id, sheet=False)
    return _download(content, "text/csv", name, "season.csv")


@api.get("/series/<uuid:series_id>/season.xlsx", responses={"200": {"content": {_SHEET: _binary}}}, tags=[_season])
@allowed("week.see")
def export_season_sheet(path: s.SeriesPath) -> Any:
    """A series as a spreadsheet."""
    name, content = season_files.export(sessions(), actor(), path.series_id, sheet=True)
    return _download(content, _SHEET, name, "season.xlsx")


@api.get(
    "/series/<uuid:series_id>/season.ics",
    responses={"200": {"content": {"text/calendar": {"schema": {"type": "string"}}}}},
    tags=[_season],
)
@allowed("week.see")
def export_calendar(path: s.SeriesPath) -> Any:
    """A series' weeks and starts as a calendar."""
    name, content = calendars.series_calendar(sessions(), actor(), path.series_id)
    return _download(content, "text/calendar", name, "ics")


@api.post("/season-files", responses={"201": s.SeasonPreviewOut}, tags=[_season])
@allowed("season.import")
def upload_season(form: s.FileForm) -> Any:
    """Keep a season file and look at it. Nothing is imported yet."""
    file_id = season_files.upload(sessions(), actor(), *sent_file(form, "season.csv"))
    return s.validate(s.SeasonPreviewOut, season_files.preview(sessions(), actor(), file_id)), 201


@api.get("/season-files/<uuid:season_file_id>", responses={"200": s.SeasonPreviewOut}, tags=[_season])
@allowed("season.import")
def preview_season(path: s.SeasonFilePath) -> Any:
    """Look at a season file again, against the weeks that are there now."""
    return s.validate(s.SeasonPreviewOut, season_files.preview(sessions(), actor(), path.season_file_id))


@api.post("/season-files/<uuid:season_file_id>/import", responses={"200": s.SeasonImportedOut}, tags=[_season])
@allowed("season.import")
def import_season(path: s.SeasonFilePath, body: s.SeasonWishes) -> Any:
    """Import a season file that was looked at, whole or not at all."""
    done = season_files.import_season(
        sessions(), actor(), path.season_file_id, body.stamp, take_changes=body.take_changes
    )
    return s.validate(s.SeasonImportedOut, done)


@api.delete("/season-files/<uuid:season_file_id>", responses={"204": None}, tags=[_season])
@allowed("season.import")
def discard_season(path: s.SeasonFilePath) -> Any:
    """Forget a season file that was looked at and not imported."""
    season_files.discard(sessions(), actor(), path.season_file_id)
    return "", 204


@api.post("/entries", responses={"201": s.EnteredCount}, tags=[_season])
@allowed("entry.add")
def enter(body: s.NewEntries) -> Any:
    """Enter drivers in weeks; who is entered already stays as they are."""
    return {"count": entries.enter(sessions(), actor(), body.week_ids, body.driver_ids, body.importance)}, 201


@api.post("/entries/remove", responses={"204": None}, tags=[_season])
@allowed("entry.remove")
def remove_entries(body: s.EntryList) -> Any:
    """Take entries out, all in one act."""
    entries.remove_entries(sessions(), actor(), body.entry_ids)
    return "", 204


@api.get("/entries/<uuid:entered_id>", responses={"200": s.WeekEntryOut}, tags=[_season])
@allowed("week.see")
def get_week_entry(path: s.EntryIdPath) -> Any:
    """One entry; a driver's own."""
    return s.validate(s.WeekEntryOut, entries.entry(sessions(), actor(), path.entered_id))


@api.put("/entries/<uuid:entered_id>", responses={"200": s.WeekEntryOut}, tags=[_season])
@allowed("entry.change")
def change_entry(path: s.EntryIdPath, header: s.Version, body: s.EntryChange) -> Any:
    """Change when and how a driver drives; a driver chooses the own starts."""
    values = body.model_dump(exclude_unset=True)
    values = {
        name: value for name, value in values.items() if value is not None or name in ("car_id", "resource_id", "note")
    }
    with telling_current(s.WeekEntryOut, lambda: entries.entry(sessions(), actor(), path.entered_id)):
        view = entries.change_entry(sessions(), actor(), path.entered_id, header.number, values)
    return s.validate(s.WeekEntryOut, view)


@api.post("/entries/<uuid:entered_id>/move", responses={"200": s.WeekEntryOut}, tags=[_season])
@allowed("entry.move")
def move_entry(path: s.EntryIdPath, header: s.Version, body: s.EntryMove) -> Any:
    """Hand an entry over to another driver, or take it to another week."""
    with telling_current(s.WeekEntryOut, lambda: entries.entry(sessions(), actor(), path.entered_id)):
        view = entries.move_entry(sessions(), actor(), path.entered_id, header.number, body.week_id, body.driver_id)
    return s.validate(s.WeekEntryOut, view)


@api.get("/me/calendars", responses={"200": s.Calendars}, tags=[_season])
@allowed("calendar.address")
def list_calendars() -> Any:
    """One's own calendar addresses."""
    return s.validate(s.Calendars, {"items": calendars.addresses(sessions(), actor())})


@api.post("/me/calendars", responses={"201": s.NewCalendarOut}, tags=[_season])
@allowed("calendar.address")
def add_calendar(body: s.NewCalendar) -> Any:
    """Make a private address of one's own calendar: it is shown once."""
    view, token = calendars.make_address(sessions(), actor(), body.name)
    return {**s.validate(s.CalendarOut, view), "address": f"/api/calendar/{token}.ics"}, 201


@api.delete("/me/calendars/<uuid:calendar_id>", responses={"204": None}, tags=[_season])
@allowed("calendar.revoke")
def revoke_calendar(path: s.CalendarPath) -> Any:
    """Make one of one's own calendar addresses useless."""
    calendars.revoke_address(sessions(), actor(), path.calendar_id)
    return "", 204


@api.get(
    "/calendar/<string:token>.ics",
    responses={"200": {"content": {"text/calendar": {"schema": {"type": "string"}}}}},
    tags=[_season],
)
@allowed("anyone")
def read_calendar(path: s.CalendarTokenPath) -> Any:
    """A person's calendar, for the program that has its private address."""
    whose = calendars.address_of(sessions(), path.token)
    if whose is None:
        raise NotThere("This calendar address isn't used any more. Make a new one under Your account.")
    return Response(
        calendars.subscribed(sessions(), whose),
        mimetype="text/calendar",
        headers={"Cache-Control": "private, no-store"},
    )


def _facts(body: s.WeekFacts) -> SeriesWeek:
    values = body.model_dump(exclude={"cars", "compounds", "changeable"})
    values |= {
        name: (values[name] or "").strip() or None
        for name in ("track", "layout", "starts", "damage", "repairs", "boost", "limits_rule", "note")
    }
    return SeriesWeek(
        series="",
        cars=tuple(dict.fromkeys(" ".join(name.split()) for name in body.cars)),
        compounds=tuple(Compound(item.name.strip(), item.must) for item in body.compounds),
        changeable=tuple(Changeable(**item.model_dump()) for item in body.changeable),
        **values,
    )


def _download(content: bytes, kind: str, name: str, ending: str) -> Response:
    response = Response(content, mimetype=kind)
    plain = (
        "".join(sign if sign.isascii() and (sign.isalnum() or sign in "-_") else "-" for sign in name)
        .strip("-")
        .lower()
        or "season"
    )
    response.headers["Content-Disposition"] = f'attachment; filename="{plain}.{ending}"'
    return response
