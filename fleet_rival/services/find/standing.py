"""Where everybody stands: a few figures of each driver in each combination, kept for the board and made anew after
each change.

A week's figures are those of its own stretch of time: earlier laps of the same combination are told apart from them.
"""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any, Final, NamedTuple

from sqlalchemy import delete, func, insert, select
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.analysis import analyse
from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.core.settings import Settings
from fleet_rival.core.standing import SessionFigures, Standing, standings_of
from fleet_rival.db.events import announce
from fleet_rival.db.laps import laps_of
from fleet_rival.db.session import is_in_the_way
from fleet_rival.db.tables import Combination, Driver, Lap, Layout, StandingRow
from fleet_rival.services.find.analyses import without_intervals
from fleet_rival.services.shared.cache.answers import stamp_of
from fleet_rival.services.track.tracks import load_track
from fleet_rival.services.week.combinations import settings_of
from fleet_rival.services.week.stretches import ALL_TIME, Stretch, dated_laps

__all__ = [
    "LARGE_FROM_LAPS",
    "Kept",
    "Wanted",
    "kept",
    "refresh",
    "sizes",
]

LARGE_FROM_LAPS: Final = 3000
"""From here on figures are made in the background, and old ones are shown until then."""


class Wanted(NamedTuple):
    """Figures that somebody asks for."""

    combination_id: int
    stretch: Stretch


@dataclass(frozen=True, slots=True)
class Kept:
    """What is known of a combination in a stretch of time."""

    drivers: Mapping[int, tuple[Standing, ...]]
    """Standings by group, the main one first, by the driver's key."""
    changed_at: Mapping[int, datetime]
    """When a driver's figures last became others."""
    laps: int
    best_us: int | None
    """The team's."""
    ideal_us: int | None
    """The best linked ideal of one of the team's drivers, for qualifying."""
    right: bool
    """Whether they belong to what is there now."""


def kept(session: Session, team_id: int, wanted: Sequence[Wanted]) -> dict[Wanted, Kept]:
    """What is kept, in one query; nothing is computed."""
    combinations = {item.combination_id for item in wanted}
    query: Any = (
        select(
            StandingRow.combination_id,
            StandingRow.since,
            StandingRow.until,
            StandingRow.driver_id,
            StandingRow.stamp,
            StandingRow.laps,
            StandingRow.figures,
            StandingRow.changed_at,
            Combination.revision,
            Combination.settings,
        )
        .join(
            Combination, (Combination.team_id == StandingRow.team_id) & (Combination.id == StandingRow.combination_id)
        )
        .where(StandingRow.team_id == team_id, StandingRow.combination_id.in_(combinations))
    )
    asked = set(wanted)
    rows: dict[Wanted, list[Any]] = defaultdict(list)
    for row in session.execute(query) if combinations else ():
        key = Wanted(row.combination_id, Stretch(row.since, row.until))
        if key in asked:
            rows[key].append(row)
    stamps: dict[int, str] = {}
    for found in rows.values():
        stamps.setdefault(found[0].combination_id, stamp_of(found[0].revision, found[0].settings))
    out = {}
    for key, found in rows.items():
        # What another version kept in another shape is as good as nothing.
        with suppress(KeyError, TypeError):
            out[key] = _kept(found, stamps[key.combination_id])
    return out


def sizes(session: Session, team_id: int, combination_ids: Iterable[int]) -> dict[int, int]:
    """How many laps combinations have."""
    query = select(Lap.combination_id, func.count()).where(
        Lap.team_id == team_id, Lap.combination_id.in_(set(combination_ids))
    )
    return {key: count for key, count in session.execute(query.group_by(Lap.combination_id))}


def refresh(sessions: sessionmaker[Session], team_id: int, combination_id: int, stretches: Iterable[Stretch]) -> None:
    """Make a combination's figures anew for some stretches of time, and for all time."""
    wanted = {ALL_TIME, *stretches}
    with sessions() as session:
        row = session.get(Combination, combination_id)
        if row is None or row.team_id != team_id:
            return
        # Read before the laps, so that it is never too new.
        stamp, settings = stamp_of(row.revision, row.settings), settings_of(row)
        track = load_track(session, session.get_one(Layout, row.layout_id), centreline=False)
        stored = laps_of(session, team_id, row.id, as_said=True)
        dated = dated_laps(session, team_id, row.id, stored)
        keys = {
            name: key for name, key in session.execute(select(Driver.name, Driver.id).where(Driver.team_id == team_id))
        }
    made: dict[frozenset[int], list[dict[str, Any]]] = {}
    for stretch in sorted(wanted):
        chosen = frozenset(index for index, (_, moment) in enumerate(dated) if stretch.since <= moment < stretch.until)
        # Mostly all laps belong to the running week: what is the same isn't computed twice.
        if chosen not in made:
            made[chosen] = _figures(track, [dated[index][0].lap for index in sorted(chosen)], settings, keys)
        _write(sessions, team_id, combination_id, stretch, stamp, made[chosen])


def _figures(track: Any, laps: Sequence[CoreLap], settings: Settings, keys: Mapping[str, int]) -> list[dict[str, Any]]:
    analysis = analyse(track, laps, without_intervals(settings))
    own = {name: (driver.guest, standings_of(driver, settings)) for name, driver in analysis.drivers.items()}
    team = [item for guest, standings in own.values() if not guest for item in standings]
    rows: list[dict[str, Any]] = [
        {
            "driver_id": keys[name],
            "laps": sum(item.laps for item in standings),
            "figures": [_plain(item) for item in standings],
        }
        for name, (_, standings) in own.items()
        if name in keys
    ]
    best = min((item.best_us for item in team if item.best_us is not None), default=None)
    ideal = min((item.ideal_us for item in team if item.ideal_us is not None), default=None)
    return [*rows, {"driver_id": None, "laps": len(laps), "figures": [{"best_us": best, "ideal_us": ideal}]}]


def _write(
    sessions: sessionmaker[Session],
    team_id: int,
    combination_id: int,
    stretch: Stretch,
    stamp: str,
    rows: Sequence[Mapping[str, Any]],
) -> None:
    """Put figures in the place of the old ones. Two who do so at once may get in each other's way: one of them does
    it then.
    """
    own = (
        StandingRow.team_id == team_id,
        StandingRow.combination_id == combination_id,
        StandingRow.since == stretch.since,
        StandingRow.until == stretch.until,
    )
    keys = {
        "team_id": team_id,
        "combination_id": combination_id,
        "since": stretch.since,
        "until": stretch.until,
        "stamp": stamp,
    }
    try:
        with sessions.begin() as session:
            session.get_one(Combination, combination_id, with_for_update=True)
            old = {
                row.driver_id: (row.figures, row.changed_at)
                for row in session.execute(select(StandingRow).where(*own)).scalars()
            }
            session.execute(delete(StandingRow).where(*own))
            moment = now()
            values = [
                {
                    **keys,
                    **row,
                    "changed_at": old[row["driver_id"]][1]
                    if old.get(row["driver_id"], (None,))[0] == row["figures"]
                    else moment,
                }
                for row in rows
            ]
            session.connection().execute(insert(StandingRow), values)
            announce(session, team_id, "standing.refresh")
    except OperationalError as error:
        if not is_in_the_way(error):
            raise


def _kept(rows: Sequence[Any], stamp: str) -> Kept:
    team = next((row for row in rows if row.driver_id is None), None)
    return Kept(
        {row.driver_id: tuple(_standing(item) for item in row.figures) for row in rows if row.driver_id is not None},
        {row.driver_id: row.changed_at for row in rows if row.driver_id is not None},
        team.laps if team else 0,
        team.figures[0]["best_us"] if team else None,
        team.figures[0]["ideal_us"] if team else None,
        all(row.stamp == stamp for row in rows),
    )


def _plain(item: Standing) -> dict[str, Any]:
    return {
        **asdict(item),
        "session_local": item.session_local.isoformat() if item.session_local else None,
        "sessions": [
            {**asdict(one), "began_at": one.began_at.isoformat() if one.began_at else None} for one in item.sessions
        ],
    }


def _standing(plain: Mapping[str, Any]) -> Standing:
    return Standing(
        **{
            **plain,
            "asked": dict(plain["asked"]),
            "session_local": datetime.fromisoformat(plain["session_local"]) if plain["session_local"] else None,
            "sessions": tuple(
                SessionFigures(
                    **{**one, "began_at": datetime.fromisoformat(one["began_at"]) if one["began_at"] else None}
                )
                for one in plain["sessions"]
            ),
        }
    )
