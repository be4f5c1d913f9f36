"""What is known of a driver before a race, gathered from what was driven, found and fixed."""

import json
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import case, func, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.corners.helped import Helped
from fleet_rival.core.planning.readiness import Evidence, OpenMistake, OpenOption
from fleet_rival.db.tables import Lap
from fleet_rival.services.find import pace
from fleet_rival.services.find.overview.cells import Cell, race_minutes_of
from fleet_rival.services.find.overview.load import DriverState, Loaded, WeekState
from fleet_rival.services.fix.clinic import driver_clinic
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import NotThere

__all__ = ["Driven", "driven_runs", "evidence_of"]


@dataclass(frozen=True, slots=True)
class Driven:
    """What runs a driver has driven in a combination, ever."""

    longest_run: int = 0
    qualifying_runs: int = 0
    rehearsals: int = 0
    in_laps: int = 0


def driven_runs(session: Session, actor: Actor, until: datetime | None = None) -> dict[tuple[int, int], Driven]:
    """By combination and driver, in one query.

    Args:
        until: only from laps before that.
    """
    flying, home = func.sum(case((Lap.kind == "flying", 1), else_=0)), func.sum(case((Lap.kind == "in", 1), else_=0))
    query = (
        select(Lap.combination_id, Lap.driver_id, func.max(Lap.purpose), flying, home)
        .where(Lap.team_id == actor.team_id, *([Lap.started_at < until] if until is not None else []))
        .group_by(Lap.combination_id, Lap.driver_id, Lap.session_id, Lap.run)
    )
    out: dict[tuple[int, int], Driven] = {}
    for combination, driver, purpose, laps, in_laps in session.execute(query):
        so_far = out.get((combination, driver), Driven())
        out[combination, driver] = Driven(
            max(so_far.longest_run, int(laps or 0)),
            so_far.qualifying_runs + (purpose == "qualifying"),
            so_far.rehearsals + (purpose == "rehearsal"),
            so_far.in_laps + int(in_laps or 0),
        )
    return out


def evidence_of(
    sessions: sessionmaker[Session],
    actor: Actor,
    loaded: Loaded,
    week: WeekState,
    driver: DriverState,
    own: Cell,
    driven: Mapping[tuple[int, int], Driven],
    helped: Mapping[str, Helped],
    until: datetime | None = None,
) -> Evidence:
    """Everything that readiness and the plan stand on, for one driver in one week.

    Args:
        own: the driver's cell of that week.
        helped: what work on each kind of mistake has brought so far.
        until: as it stood then: `own` and `driven` are of that moment too.
    """
    minutes = race_minutes_of(loaded, week)
    race_laps = week.facts.race_laps
    combination = own.combination
    if combination is None:
        return Evidence(race_laps=race_laps, race_minutes=minutes)
    runs = driven.get((combination.key, driver.key), Driven())
    standing = own.standing
    clinic = (
        _asked(driver_clinic, sessions, actor, combination.id, driver.id, week.row.public_id, until=until)
        if own.laps
        else {}
    )
    told = (
        _asked(pace.driver_pace, sessions, actor, combination.id, driver.id, week.row.public_id, until=until)
        if own.laps
        else {}
    )
    best = standing.best_us if standing else None
    return Evidence(
        lap_us=(standing.median_us if standing else None) or own.target_us,
        laps=own.laps,
        gap_us=best - own.target_us if best is not None and own.target_us is not None else None,
        clean_rate=standing.clean_rate if standing else None,
        spread_pct=standing.spread_pct if standing else None,
        longest_run=runs.longest_run,
        falloff_us=told["falloff"]["us_per_lap"] if told.get("falloff") else None,
        falloff_half_us=_falloff(told),
        learning_us=_learning(told),
        qualifying_runs=runs.qualifying_runs,
        rehearsals=runs.rehearsals,
        in_laps=runs.in_laps,
        mistakes=tuple(
            OpenMistake(item["corner"], item["kind"], item["cost_us"], helped[item["kind"]].removed)
            for item in clinic.get("mistakes", ())
            if item["recurring"] and not item["trend"]["closed"]
        ),
        options=_options(told),
        references_missing=loaded.unread.get((combination.layout_key, combination.car_key), 0),
        differences=tuple(item.what for item in own.differences if item.matters),
        known_track=sum(own.earlier.get(name, 0) for name in ("same", "track")),
        race_laps=race_laps,
        race_minutes=minutes,
    )


def _asked(
    ask: Any, sessions: sessionmaker[Session], actor: Actor, *which: Any, until: datetime | None
) -> dict[str, Any]:
    try:
        told: dict[str, Any] = json.loads(ask(sessions, actor, *which, until=until)[0])
    except NotThere:
        return {}
    return told


def _falloff(told: Mapping[str, Any]) -> float | None:
    found = told.get("falloff")
    return (found["high_us"] - found["low_us"]) / 2 if found else None


def _learning(told: Mapping[str, Any]) -> float | None:
    """What the curve still promises: where it stands now, less where it goes."""
    found = told.get("learning")
    if not found or found["floor_us"] is None or not found["curve"]:
        return None
    return float(max(0, found["curve"][-1]["median_us"] - found["floor_us"]))


def _options(told: Mapping[str, Any]) -> tuple[OpenOption, ...]:
    """Options without a winner for the race."""
    return tuple(
        OpenOption(
            item["where"],
            tuple(side["label"] for side in item["sides"]),
            (item["shift"]["high_us"] - item["shift"]["low_us"]) / 2,
        )
        for item in told.get("options", ())
        if item["winner_race"] is None and item["shift"] is not None
    )
