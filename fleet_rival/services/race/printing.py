"""The race sheet on paper: one page, and one in large type for the seat; and as plain text for a chat."""

from collections.abc import Callable, Mapping
from datetime import datetime
from pathlib import Path
from typing import Any, Final
from uuid import UUID

from jinja2 import Environment, FileSystemLoader, StrictUndefined
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.season.zones import known_zone
from fleet_rival.core.units import DEFAULTS, in_units
from fleet_rival.services.race.sheet import SheetView, sheet
from fleet_rival.services.shared.base import Actor
from fleet_rival.wording.race import PARTS, Line, sheet_title

__all__ = ["MOST_PAGES", "document_of", "page_of", "sheet_pdf", "sheet_text"]

MOST_PAGES: Final = 2
_SIZES_PT: Final = (11.0, 10.0, 9.0, 8.0, 7.0)
"""Type sizes that are tried, until the sheet stands on one page and the seat's on another."""
_SEAT: Final = 5


def sheet_pdf(
    sessions: sessionmaker[Session],
    actor: Actor,
    entry_id: UUID,
    zone: str = "UTC",
    clock: Callable[[], datetime] = now,
    units: Mapping[str, str] = DEFAULTS,
) -> bytes:
    """The sheet that was handed out last, as a PDF of two pages; the one of now where none was.

    Raises:
        NotThere: no such entry, or not the actor's.
    """
    made: bytes = document_of(sheet(sessions, actor, entry_id, clock), zone, clock(), units).write_pdf()
    return made


def document_of(told: SheetView, zone: str, moment: datetime, units: Mapping[str, str] = DEFAULTS) -> Any:
    """A sheet laid out on pages, in the largest type in which it needs two at most.

    Returns:
        WeasyPrint's document.
    """
    # Takes a second and 40 MB: only who prints pays for it.
    from weasyprint import HTML  # noqa: PLC0415

    document: Any = None
    for size in _SIZES_PT:
        document = HTML(string=in_units(page_of(told, zone, moment, size), units), url_fetcher=_nothing).render()
        if len(document.pages) <= MOST_PAGES:
            break
    return document


def page_of(told: SheetView, zone: str, moment: datetime, size: float = _SIZES_PT[0]) -> str:
    """A sheet as HTML; times in a zone, quantities still to be written in somebody's units."""
    environment = Environment(
        loader=FileSystemLoader(Path(__file__).parent), autoescape=True, undefined=StrictUndefined, trim_blocks=True
    )
    lines = told.last or told.lines
    return environment.get_template("race_sheet.html").render(
        sheet=told,
        parts=[(title, own) for key, title in PARTS.items() if (own := [line for line in lines if line.part == key])],
        seat=[line for line in lines if line.seat][:_SEAT],
        when=f"{told.race_at.astimezone(known_zone(zone)):%a %d %b %Y, %H:%M} {zone}" if told.race_at else "",
        number=sheet_title(told.number),
        foot=f"Fleet Rival, {moment:%d %b %Y}",
        size=size,
    )


def sheet_text(told: SheetView) -> str:
    """The sheet in plain lines, for a chat."""
    lines: tuple[Line, ...] = told.last or told.lines
    out = [f"{told.driver}, {told.place or told.series}" + (f", sheet {told.number}" if told.number else "")]
    for key, title in PARTS.items():
        out += [f"{title}: {line.words}" for line in lines if line.part == key]
    out += [f"Missing: {words}." for words in told.missing]
    return "\n".join(out)


def _nothing(url: str) -> Any:
    raise ValueError(f"{url} isn't fetched")
