"""How good what sheets expected was, over the races that are known, and what is taken into account from that."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Final
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.race.afterwards import Calibration, Compared, Taught, calibrated, compared
from fleet_rival.core.race.driven import RaceDriven
from fleet_rival.db.tables import Entry, RaceSheet
from fleet_rival.services.log.driven import driven_starts
from fleet_rival.services.log.expected import read_expected
from fleet_rival.services.log.results import PastRace, ResultView, past_races
from fleet_rival.services.shared.base import Actor

__all__ = ["Looked", "calibration", "looked_at", "taught"]

_MOST_RACES: Final = 60
"""Of the last ones."""


@dataclass(frozen=True, slots=True)
class Looked:
    """One start, before and after.

    Attributes:
        sheet: number of the sheet that was in hand; None: none was.
        compared: what it expected against what happened.
        alone: the same, as practice alone foretold it.
    """

    result: ResultView
    driven: RaceDriven
    sheet: int | None
    compared: tuple[Compared, ...]
    alone: tuple[Compared, ...]


def looked_at(
    sessions: sessionmaker[Session], actor: Actor, races: Sequence[PastRace], *, with_sheet: bool = False
) -> dict[UUID, list[Looked]]:
    """Every start of some races that has a result, beside the sheet that was in hand; by entry.

    Args:
        with_sheet: only races of which a sheet kept what it expected.
    """
    sheets = _sheets(sessions, actor, races)
    if with_sheet:
        races = [race for race in races if any(item.expected for item in sheets.get(race.entry_id, ()))]
    driven = driven_starts(
        sessions, actor, {race.entry_id: [item.starts_at for item in race.results] for race in races}
    )
    out: dict[UUID, list[Looked]] = {}
    for race in races:
        own, in_hand = driven.get(race.entry_id, {}), sheets.get(race.entry_id, ())
        out[race.entry_id] = [
            _looked(result, own.get(result.starts_at, RaceDriven()), in_hand) for result in race.results
        ]
    return out


def _sheets(sessions: sessionmaker[Session], actor: Actor, races: Sequence[PastRace]) -> dict[UUID, list[RaceSheet]]:
    query = (
        select(Entry.public_id, RaceSheet)
        .join(RaceSheet, (RaceSheet.team_id == Entry.team_id) & (RaceSheet.entry_id == Entry.id))
        .where(Entry.team_id == actor.team_id, Entry.public_id.in_([race.entry_id for race in races]))
        .order_by(RaceSheet.number)
    )
    out: dict[UUID, list[RaceSheet]] = defaultdict(list)
    with sessions() as session:
        for entry, row in session.execute(query):
            out[entry].append(row)
        session.expunge_all()
    return out


def _looked(result: ResultView, driven: RaceDriven, sheets: Sequence[RaceSheet]) -> Looked:
    happened = driven.figures
    if result.qualifying_us is not None:
        happened["qualifying_us"] = float(result.qualifying_us)
    before = next((item for item in reversed(sheets) if item.created_at <= result.starts_at), None)
    kept = before.expected if before else None
    told, alone = (compared(read_expected(kept, alone=alone), happened) for alone in (False, True))
    return Looked(result, driven, before.number if before else None, told, alone)


def calibration(sessions: sessionmaker[Session], actor: Actor, races: Sequence[PastRace]) -> tuple[Calibration, ...]:
    """How good what practice alone foretold was, over the last of some races."""
    found = looked_at(sessions, actor, races[:_MOST_RACES], with_sheet=True)
    return calibrated([item.alone for starts in found.values() for item in starts])


def taught(sessions: sessionmaker[Session], actor: Actor, moment: datetime) -> dict[str, Taught]:
    """What the team's races before a moment taught of each figure; drawn to nothing while few are known."""
    whole = replace(actor, role="coach")
    races = [item for item in past_races(sessions, whole, moment) if item.results and item.last < moment]
    return {item.figure: item.taught for item in calibration(sessions, whole, races)}
