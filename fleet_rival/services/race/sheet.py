"""The sheet for the day: one page in short sentences, handed out in numbered versions, read and confirmed by the
driver.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Final
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.book.checks import needs_reference
from fleet_rival.core.units import DEFAULTS, in_units
from fleet_rival.db.tables import Layout, Person, RaceSheet
from fleet_rival.services.log.expected import expected_of
from fleet_rival.services.log.lessons import lessons_of_week
from fleet_rival.services.log.seasons import taught
from fleet_rival.services.race.ahead import Ahead, ahead_of
from fleet_rival.services.race.figures import figures_of
from fleet_rival.services.shared.base import Actor, about, begin_change
from fleet_rival.services.shared.errors import NotThere, Refused
from fleet_rival.services.track.book.load import load_book
from fleet_rival.wording.missing import MISSING, references_missing
from fleet_rival.wording.race import Line, sheet_lines

__all__ = ["SheetView", "confirm", "hand_out", "lines_of", "sheet"]

_MOST_CORNERS: Final = 6
_MOST_LEARNED: Final = 4
_IMPORTANCE: Final = {"high": 0, "medium": 1, "low": 2}


@dataclass(frozen=True, slots=True)
class SheetView:
    """A sheet as it would be handed out now, beside the last one.

    Attributes:
        lines: of now.
        missing: what is missing, plainly.
        number, handed_out_at, by, read_at: of the last one that was handed out; None: none was.
        last: its lines.
        since_read: lines of the last one that weren't in the one that the driver read last.
        gone: lines of that one that aren't in the last one.
        outdated: whether a sheet of now would say something else than the last one.
    """

    entry_id: UUID
    driver_id: UUID
    driver: str
    series: str
    place: str
    race_at: datetime | None
    lines: tuple[Line, ...]
    missing: tuple[str, ...]
    number: int | None
    handed_out_at: datetime | None
    by: str | None
    read_at: datetime | None
    last: tuple[Line, ...]
    since_read: tuple[str, ...]
    gone: tuple[str, ...]
    outdated: bool


def sheet(
    sessions: sessionmaker[Session], actor: Actor, entry_id: UUID, clock: Callable[[], datetime] = now
) -> SheetView:
    """The sheet of an entry; a driver's own alone.

    Raises:
        NotThere: no such entry, or not the actor's.
    """
    ahead = ahead_of(sessions, actor, entry_id, clock)
    lines, missing = lines_of(sessions, actor, ahead, figures_of(ahead, taught(sessions, actor, clock())))
    with sessions() as session:
        rows = list(_rows(session, ahead))
        last = rows[-1] if rows else None
        by = session.get_one(Person, last.person_id).name if last else None
        read = next((row for row in reversed(rows) if row.read_at is not None), None)
        shown = _lines(last) if last else ()
        heard = _lines(read) if read else ()
        before = set(_said(heard))
        now = set(_said(shown))
        return SheetView(
            ahead.entry.public_id,
            ahead.driver.public_id,
            ahead.driver.name,
            ahead.facts.series,
            ahead.facts.place,
            ahead.race_at,
            lines,
            missing,
            last.number if last else None,
            last.created_at if last else None,
            by,
            last.read_at if last else None,
            shown,
            tuple(line.words for line in shown if in_units(line.words, DEFAULTS) not in before)
            if read is not None and read is not last
            else (),
            tuple(sorted(line.words for line in heard if in_units(line.words, DEFAULTS) not in now))
            if read is not None and read is not last
            else (),
            last is None or _said(lines) != _said(shown),
        )


def hand_out(sessions: sessionmaker[Session], actor: Actor, entry_id: UUID, clock: Callable[[], datetime] = now) -> int:
    """Hand the sheet out as it is now.

    Returns:
        Its number.

    Raises:
        Refused: the last one says the same.
    """
    ahead = ahead_of(sessions, actor, entry_id, clock)
    figures = figures_of(ahead, taught(sessions, actor, clock()))
    lines, _ = lines_of(sessions, actor, ahead, figures)
    with sessions.begin() as session:
        rows = list(_rows(session, ahead))
        if rows and _said(_lines(rows[-1])) == _said(lines):
            raise Refused("The last sheet says the same.")
        number = rows[-1].number + 1 if rows else 1
        change_set = begin_change(
            session, actor, "race.sheet", f"Handed out race sheet {number} of {ahead.driver.name}"
        )
        told = [{"part": line.part, "words": line.words, "seat": line.seat} for line in lines]
        row = RaceSheet(
            team_id=actor.team_id,
            entry_id=ahead.entry.id,
            number=number,
            lines=told,
            expected=expected_of(figures),
            person_id=actor.person_id,
            read_at=None,
            created_at=clock(),
        )
        session.add(row)
        session.flush()
        about(session, change_set, row)
        return number


def confirm(
    sessions: sessionmaker[Session], actor: Actor, entry_id: UUID, number: int, clock: Callable[[], datetime] = now
) -> None:
    """Say that a sheet was read: the driver's to say.

    Raises:
        Refused: somebody else's sheet, or one that isn't the last any more.
        NotThere: none was handed out.
    """
    ahead = ahead_of(sessions, actor, entry_id, clock)
    if actor.driver_id != ahead.driver.id:
        raise Refused("Who drives says that they have read it.")
    with sessions.begin() as session:
        rows = list(_rows(session, ahead, lock=True))
        if not rows:
            raise NotThere("No sheet was handed out yet.")
        if rows[-1].number != number:
            raise Refused("There is a newer sheet: read that one.")
        if rows[-1].read_at is None:
            begin_change(session, actor, "race.read", f"Read race sheet {number}", rows[-1])
            rows[-1].read_at = clock()


def _rows(session: Session, ahead: Ahead, *, lock: bool = False) -> Sequence[RaceSheet]:
    query = (
        select(RaceSheet)
        .where(RaceSheet.team_id == ahead.entry.team_id, RaceSheet.entry_id == ahead.entry.id)
        .order_by(RaceSheet.number)
    )
    return session.scalars(query.with_for_update() if lock else query).all()


def _said(lines: Iterable[Line]) -> list[str]:
    """What lines say, whatever units they were once written in."""
    return [in_units(line.words, DEFAULTS) for line in lines]


def _lines(row: RaceSheet) -> tuple[Line, ...]:
    return tuple(Line(item["part"], item["words"], item["seat"]) for item in row.lines)


def lines_of(
    sessions: sessionmaker[Session], actor: Actor, ahead: Ahead, figures: Mapping[str, Any]
) -> tuple[tuple[Line, ...], tuple[str, ...]]:
    """The sheet's lines and what is missing, from the race's figures, the track book and the week's three."""
    corners: list[dict[str, Any]] = []
    pit: Mapping[str, Any] = {}
    missing = list(figures["missing"])
    if ahead.layout is not None:
        with sessions() as session:
            layout = session.get_one(Layout, ahead.layout.id)
            book = load_book(session, actor, layout, ahead.car.id if ahead.car else None)
            names = {corner.code: corner.name for corner in book.corners}
            importance = book.importance
            for note in book.notes:
                level = importance[note.code].level if note.code in importance else None
                told = {"lanes": note.lanes, "passing": note.passing, "limits": note.limits}
                corners.append({"code": note.code, "name": names.get(note.code), "level": level, **told})
            bare = needs_reference(book.notes, book.core_references, str(ahead.car.id) if ahead.car else None)
            pit = {name: getattr(layout, f"pit_{name}") for name in ("limit_kmh", "entry_note", "exit_note")}
        corners.sort(key=lambda item: _IMPORTANCE.get(item["level"] or "low", 2))
        if bare:
            without = [str(item["code"]) for item in corners if item["code"] in bare]
            missing.append(references_missing(without, _MOST_CORNERS))
        if not any(item["passing"] for item in corners):
            missing.append(MISSING["passing"])
    else:
        missing.append(MISSING["track"])
    first = next((str(item["words"]) for item in ahead.clinic.get("three", ())), None)
    back = lessons_of_week(sessions, actor, ahead.week_id)
    learned = [item.text for item in back if item.driver_id in (None, ahead.driver.public_id)][:_MOST_LEARNED]
    return sheet_lines(figures, ahead.facts, corners[: _MOST_CORNERS * 3], first, _MOST_CORNERS, learned, pit), tuple(
        missing
    )
