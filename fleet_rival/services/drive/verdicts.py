"""For what each lap counts, kept beside it: lists and queries say the same as the figures."""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from contextlib import suppress
from typing import Any
from uuid import UUID

from sqlalchemy import ColumnElement, delete, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.core.laps.marks import judge
from fleet_rival.core.laps.verdict import Use, uses
from fleet_rival.db.laps import laps_of
from fleet_rival.db.session import engine_of
from fleet_rival.db.tables import Combination, LapVerdict, Layout
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.cache.answers import kept_answer
from fleet_rival.services.track.tracks import load_track
from fleet_rival.services.week.combinations import settings_of

__all__ = ["counts_for", "settle"]

_AT_ONCE = 2000


def settle(sessions: sessionmaker[Session], actor: Actor, combination_ids: Iterable[UUID]) -> None:
    """See to it that verdicts of combinations are those of their laps as they are now; costs one look where they are.

    Whoever asks `LapVerdict` in a query calls this first.
    """
    for combination_id in combination_ids:

        def made(session: Session, actor: Actor, row: Combination) -> dict[str, bytes]:
            _write(sessions, session, actor, row)
            return {"verdicts": b"{}"}

        kept_answer(sessions, actor, combination_id, "verdicts", made)


def counts_for(use: Use) -> ColumnElement[bool]:
    """The condition that a lap, joined with its verdict, counts for something."""
    return LapVerdict.uses.op("&")(int(use)) > 0


def _write(sessions: sessionmaker[Session], session: Session, actor: Actor, row: Combination) -> None:
    track, settings = load_track(session, session.get_one(Layout, row.layout_id), centreline=False), settings_of(row)
    by_driver: dict[str, list[CoreLap]] = defaultdict(list)
    keys: dict[tuple[object, ...], int] = {}
    for item in laps_of(session, actor.team_id, row.id, as_said=True):
        by_driver[item.lap.driver].append(item.lap)
        keys[item.lap.identity] = item.id
    found = {
        keys[item.lap.identity]: (int(uses(item)), " ".join(item.marks)[:160] or None)
        for laps in by_driver.values()
        for item in judge(track, laps, settings)
    }
    own = (LapVerdict.team_id == actor.team_id, LapVerdict.combination_id == row.id)
    kept = {
        key: (number, marks)
        for key, number, marks in session.execute(
            select(LapVerdict.lap_id, LapVerdict.uses, LapVerdict.marks).where(*own)
        )
    }
    values = [
        {"lap_id": key, "team_id": actor.team_id, "combination_id": row.id, "uses": number, "marks": marks}
        for key, (number, marks) in sorted(found.items())
        if kept.get(key) != (number, marks)
    ]
    with suppress(IntegrityError):  # a lap went meanwhile, and with it the state that this was made for
        _replace(sessions, actor, row.id, values, sorted(kept.keys() - found.keys()))


def _replace(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: int,
    values: Sequence[dict[str, Any]],
    gone: Sequence[int],
) -> None:
    # Past the unit of work: what follows from laps is no change of anybody's.
    with engine_of(sessions).begin() as connection:
        own = (LapVerdict.team_id == actor.team_id, LapVerdict.combination_id == combination_id)
        for start in range(0, len(gone), _AT_ONCE):
            connection.execute(delete(LapVerdict).where(*own, LapVerdict.lap_id.in_(gone[start : start + _AT_ONCE])))
        for start in range(0, len(values), _AT_ONCE):
            statement = insert(LapVerdict).values(values[start : start + _AT_ONCE])
            changed = {name: statement.inserted[name] for name in ("combination_id", "uses", "marks")}
            connection.execute(statement.on_duplicate_key_update(changed))
