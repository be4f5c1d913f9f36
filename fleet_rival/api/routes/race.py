"""The race ahead: figures from own laps, what people know of it, and the sheet for the day."""

from dataclasses import asdict
from typing import Any

from flask_openapi3 import Tag

from fleet_rival.api import schemas as s
from fleet_rival.api.access import actor, allowed, units
from fleet_rival.api.blueprint import api, download, sessions
from fleet_rival.services.race import ahead, figures, pressures, printing, sheet, wish
from fleet_rival.wording.race import PARTS

_race = Tag(name="race")
_PDF: Any = {"200": {"content": {"application/pdf": {"schema": {"type": "string", "format": "binary"}}}}}


@api.get("/races", responses={"200": s.RaceList}, tags=[_race])
@allowed("race.see")
def list_races() -> Any:
    """Entries with a race ahead, the next one first; a driver's own."""
    return s.validate(s.RaceList, {"items": ahead.races(sessions(), actor())})


@api.get("/races/<uuid:entered_id>", responses={"200": s.RaceOut}, tags=[_race])
@allowed("race.see")
def get_race(path: s.EntryIdPath) -> Any:
    """The race ahead of an entry in figures; a driver's own."""
    return s.validate(s.RaceOut, figures.race_view(sessions(), actor(), path.entered_id))


@api.put("/races/<uuid:entered_id>", responses={"200": s.RaceOut}, tags=[_race])
@allowed("race.change")
def change_race(path: s.EntryIdPath, header: s.Version, body: s.RaceWishBody) -> Any:
    """Write what people know and choose of it; if the entry is still as it was looked at."""
    wish.change_wish(sessions(), actor(), path.entered_id, header.number, body.model_dump())
    return s.validate(s.RaceOut, figures.race_view(sessions(), actor(), path.entered_id))


@api.get("/races/<uuid:entered_id>/sheet", responses={"200": s.SheetOut}, tags=[_race])
@allowed("race.see")
def get_sheet(path: s.EntryIdPath) -> Any:
    """The sheet as it is now, beside the one that was handed out last; a driver's own."""
    return _sheet(path)


@api.post("/races/<uuid:entered_id>/sheet", responses={"201": s.SheetOut}, tags=[_race])
@allowed("race.sheet")
def hand_out_sheet(path: s.EntryIdPath) -> Any:
    """Hand the sheet out as it is now."""
    sheet.hand_out(sessions(), actor(), path.entered_id)
    return _sheet(path), 201


@api.post("/races/<uuid:entered_id>/sheet/read", responses={"204": None}, tags=[_race])
@allowed("race.read")
def confirm_sheet(path: s.EntryIdPath, body: s.SheetNumber) -> Any:
    """Say that a sheet was read: the driver's own."""
    sheet.confirm(sessions(), actor(), path.entered_id, body.number)
    return "", 204


@api.get("/races/<uuid:entered_id>/sheet.pdf", responses=_PDF, tags=[_race])
@allowed("race.see")
def get_sheet_pdf(path: s.EntryIdPath, query: s.SheetPdfQuery) -> Any:
    """The sheet on one page of paper, and one in large type for the seat; a driver's own."""
    return download(
        printing.sheet_pdf(sessions(), actor(), path.entered_id, query.zone, units=units()),
        "application/pdf",
        "race-sheet.pdf",
    )


@api.post("/races/pressures", responses={"200": s.PressuresOut}, tags=[_race])
@allowed("race.see")
def get_pressures(body: s.PressureWish) -> Any:
    """Cold pressures for wanted hot ones; nothing is written."""
    return s.validate(s.PressuresOut, pressures.settings_for(**body.model_dump()))


def _sheet(path: s.EntryIdPath) -> Any:
    told = sheet.sheet(sessions(), actor(), path.entered_id)
    return s.validate(
        s.SheetOut,
        {
            **asdict(told),
            "parts": [{"key": key, "title": title} for key, title in PARTS.items()],
            "text": printing.sheet_text(told),
        },
    )
