"""How good what sheets expected was, over the races that are known, and what is taken into account from that."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Final

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.race.afterwards import Calibration, Compared, Expected, calibrated, compared
from fleet_rival.core.race.driven import RaceDriven
from fleet_rival.db.tables import Entry, RaceSheet
from fleet_rival.services.base import Actor
from fleet_rival.services.log.driven import driven_starts
from fleet_rival.services.log.expected import Taught, read_expected
from fleet_rival.services.log.results import PastRace, ResultView, past_races

__all__ = ["Looked", "calibration", "looked_at", "taught"]

_MOST_RACES: Final = 60
"""Of the last ones."""


@dataclass(frozen=True, slots=True)
class Looked:
    """One start, before and after.

    Attributes:
        sheet: number of the sheet that was in hand; None: none was.
        told: what it expected.
        compared: against what happened.
        alone: the same, as practice alone foretold it.
    """

    result: ResultView
    driven: RaceDriven
    sheet: int | None
    told: dict[str, Expected]
    compared: tuple[Compared, ...]
    alone: tuple[Compared, ...]


def looked_at(sessions: sessionmaker[Session], actor: Actor, race: PastRace) -> list[Looked]:
    """Every start of a race that has a result, beside the sheet that was in hand."""
    driven = driven_starts(sessions, actor, race.entry_id, [item.starts_at for item in race.results])
    with sessions() as session:
        query = (
            select(RaceSheet)
            .join(Entry, (Entry.team_id == RaceSheet.team_id) & (Entry.id == RaceSheet.entry_id))
            .where(RaceSheet.team_id == actor.team_id, Entry.public_id == race.entry_id)
            .order_by(RaceSheet.number)
        )
        sheets = list(session.scalars(query))
    out = []
    for result in race.results:
        own = driven.get(result.starts_at, RaceDriven())
        happened = own.figures
        if result.qualifying_us is not None:
            happened["qualifying_us"] = float(result.qualifying_us)
        before: RaceSheet | None = max((item for item in sheets if item.created_at <= result.starts_at), key=lambda item: item.number, default=None)
        kept = before.expected if before else None
        told = read_expected(kept)
        out.append(
            Looked(
                result, own, before.number if before else None, told, compared(told, happened), compared(read_expected(kept, alone=True), happened)
            )
        )
    return out


def calibration(sessions: sessionmaker[Session], actor: Actor, races: Sequence[PastRace]) -> tuple[Calibration, ...]:
    """How good what practice alone foretold was, over the last of some races."""
    return calibrated([item.alone for race in races[:_MOST_RACES] for item in looked_at(sessions, actor, race)])


def taught(sessions: sessionmaker[Session], actor: Actor, moment: datetime) -> dict[str, Taught]:
    """What the team's races before a moment taught of each figure; drawn to nothing while few are known."""
    whole = replace(actor, role="coach")
    races = [item for item in past_races(sessions, whole, moment) if item.results and item.last < moment]
    return {item.figure: Taught(item.shift, item.widen) for item in calibration(sessions, whole, races)}
