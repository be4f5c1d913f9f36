"""One driver in one combination: how alike laps are, how pace goes over a run, and what options were worth."""

import hashlib
import json
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict
from datetime import datetime
from functools import partial
from math import sqrt
from typing import Any
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.analysis import DriverAnalysis, GroupAnalysis, with_share_intervals
from fleet_rival.core.consistency import ratio_to_team
from fleet_rival.core.corners.lap_to_show import lap_to_show
from fleet_rival.core.corners.references import part_figures
from fleet_rival.core.ideals.best_of import LAP_COUNTS, odds_of
from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.laps.verdict import is_spoiled
from fleet_rival.core.pace.falloff import Falloff
from fleet_rival.core.pace.learning import Point, learning_curve, learning_points
from fleet_rival.core.pace.par import AgainstPar, Par
from fleet_rival.core.pace.scatter import by_lap_of_run, by_run
from fleet_rival.core.pace.slope import Slope
from fleet_rival.core.pace.wear import TreadReading, wear_of
from fleet_rival.core.report import driver_report
from fleet_rival.core.settings import Settings
from fleet_rival.core.times import MICROSECONDS
from fleet_rival.core.track import Track
from fleet_rival.db.tables import Combination, Driver, Layout, PracticeSession, Run
from fleet_rival.services.find.analyses import analysis_of, pars_of
from fleet_rival.services.find.figures import may_see
from fleet_rival.services.find.look import Look, asked_look, countable
from fleet_rival.services.find.moved import what_moves
from fleet_rival.services.shared.base import Actor, find_row
from fleet_rival.services.shared.cache.answers import as_json, kept_answer
from fleet_rival.services.track.tracks import load_track
from fleet_rival.services.week.combinations import target_of
from fleet_rival.wording.marks import SURE_WORDS
from fleet_rival.wording.pace import (
    falloff_words,
    learning_words,
    par_words,
    share_words,
    surer_words,
)

__all__ = ["driver_pace"]


def driver_pace(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    driver_id: UUID,
    week_id: UUID | None = None,
    also: Iterable[str] = (),
    until: datetime | None = None,
) -> tuple[bytes, str]:
    """Consistency, pace over a run, learning and options of one driver, as JSON, and the stamp of the state they
    belong to.

    Args:
        week_id: of a series' week, whose own laps alone are meant; all laps where missing.
        also: what counts along, after `look.ALSO`.
        until: only laps before that, to see how it stood then.

    Raises:
        NotThere: no such combination, the driver has no laps in it, or they aren't the actor's business.
    """
    may_see(sessions, actor, driver_id)
    look = asked_look(sessions, actor, combination_id, week_id, also, until)
    with sessions() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        # A target is no matter of the laps' revision.
        goal = hashlib.sha256(json.dumps([row.target, row.benchmark], sort_keys=True).encode()).hexdigest()[:8]
    about = f"pace:{driver_id}:{goal}{look.tail}{look.race.tail}"
    return kept_answer(sessions, actor, combination_id, about, partial(_compute, about, driver_id, look))


def _compute(
    about: str,
    driver_id: UUID,
    look: Look,
    session: Session,
    actor: Actor,
    row: Combination,
) -> dict[str, bytes]:
    driver = session.scalar(select(Driver).where(Driver.team_id == actor.team_id, Driver.public_id == driver_id))
    if driver is None:
        return {}
    settings, track = look.settings(row), load_track(session, session.get_one(Layout, row.layout_id), centreline=False)
    # The team's level and ideal are of everybody's laps.
    analysis = analysis_of(look, session, actor, row, track)
    if driver.name not in analysis.drivers:
        return {}
    found = with_share_intervals(track, analysis.drivers[driver.name], settings)
    ideals = [other.main.ideals.time_us("linked_qualifying") for other in analysis.drivers.values() if not other.guest]
    ideal = min((value for value in ideals if value is not None), default=None)
    goal = target_of(row, ideal)
    others = [
        group.consistency.spread_s_per_sqrt_min
        for other in analysis.drivers.values()
        if not other.guest
        for group in (other.main, *other.others)
        if group.group == found.main.group and group.consistency.spread_s_per_sqrt_min is not None
    ]
    readings = _readings(session, actor, row, driver, [item.lap for item in found.laps])
    figures = driver_report(found, by_set=False)
    own = (PracticeSession.team_id == actor.team_id, PracticeSession.combination_id == row.id)
    sheets = {
        label: str(key)
        for label, key in session.execute(select(PracticeSession.label, PracticeSession.public_id).where(*own))
    }
    pars = pars_of(look, row, track, analysis)
    body = {
        "id": str(driver_id),
        "name": driver.name,
        "figures": {
            key: figures[key] for key in ("group", "sure", "laps", "best_us", "ideal", "consistency", "best_of")
        },
        "missing": figures["missing"],
        "sure_words": SURE_WORDS[found.main.sure],
        "surer": surer_words(found.main.counts["clean"], settings.thin_below_laps, settings.firm_from_laps),
        "target_us": goal,
        **_odds(found.main, found, goal),
        **_consistency(track, found, others, sheets, settings),
        **_pace(found, goal, readings, settings),
        **what_moves(track, found, pars, settings, look.race.laps_at(_level(found))),
        "countable": countable([found]),
        "pars": _pars(pars, found, sheets, settings),
    }
    return {about: as_json(body)}


def _level(driver: DriverAnalysis) -> float | None:
    """The driver's median lap, in microseconds."""
    median_us = driver.main.consistency.median_us
    return None if median_us is None else float(median_us)


def _odds(group: GroupAnalysis, driver: DriverAnalysis, goal: int | None) -> dict[str, Any]:
    times, eligible = driver.clean_times(group), group.counts["eligible"]
    alike = group.falloff.net.correlation if group.falloff.net is not None else 0.0
    if goal is None or group.best_of is None or not eligible:
        return {"odds": None}
    return {
        "odds": [
            {"laps": laps, "share": odds_of(times, len(times) / eligible, laps, goal, alike)} for laps in LAP_COUNTS
        ]
    }


def _consistency(
    track: Track, driver: DriverAnalysis, others: Sequence[float], sheets: Mapping[str, str], settings: Settings
) -> dict[str, Any]:
    group = driver.main
    judged, members = driver.laps, group.members
    parts: Mapping[str, Any] = group.segments
    if not any(figures.losses_us for figures in parts.values()):
        parts = part_figures(track, judged, members, settings, "sectors")
    shown = lap_to_show(judged, members, parts)
    of_run: dict[tuple[str, int | None], list[JudgedLap]] = defaultdict(list)
    for index in members:
        of_run[judged[index].lap.session, judged[index].lap.run].append(judged[index])
    begun: dict[tuple[str, int | None], int] = {}
    for item in judged:
        key = (item.lap.session, item.lap.run)
        begun[key] = min(begun.get(key, item.lap.number), item.lap.number)
    runs = []
    for run in by_run(judged, members, settings):
        laps, first = of_run[run.session, run.run], begun[run.session, run.run]
        runs.append(
            {
                "session": run.session,
                "session_id": sheets[run.session],
                "run": run.run,
                "setup": _one({item.lap.setup for item in laps}),
                "compound": _one({item.lap.compound for item in laps}),
                "tyre_set": _one({item.lap.tyre_set for item in laps}),
                "purpose": _one({item.lap.purpose for item in laps}),
                "clean": len(run.positions),
                "flying": run.flying,
                "median_us": _rounded(run.median_us),
                "slope_us": _rounded(run.slope_us),
                "line_us": None if run.line_us is None else [round(value) for value in run.line_us],
                "adjusted_us": _rounded(run.adjusted_us),
                "laps": [
                    {
                        "lap": item.lap.number,
                        "of_run": item.lap.number - first,
                        "time_us": item.lap.time_us,
                        "clean": item.clean,
                        "marks": sorted(item.marks),
                        "started_at": item.lap.started_at.isoformat() if item.lap.started_at else None,
                    }
                    for item in sorted(laps, key=lambda item: item.lap.number)
                ],
            }
        )
    own = group.consistency.spread_s_per_sqrt_min
    return {
        "lap_to_show": None if shown is None else _to_show(judged[shown[0]].lap, shown[1]),
        "runs": runs,
        "by_lap_of_run": [
            {"lap": item.lap, "n": item.n, "offset_us": round(item.offset_us), "spread_us": _rounded(item.spread_us)}
            for item in by_lap_of_run(judged, members)
        ],
        "by_condition": [_condition(other) for other in (group, *driver.others)],
        "share_words": share_words(group.consistency),
        "team_ratio": ratio_to_team(own, others),
    }


def _to_show(lap: CoreLap, excess_us: int) -> dict[str, Any]:
    return {
        "session": lap.session,
        "run": lap.run or 0,
        "lap": lap.number,
        "excess_us": excess_us,
        "time_us": lap.time_us,
    }


def _condition(group: GroupAnalysis) -> dict[str, Any]:
    figures = group.consistency
    net = group.falloff.net
    return {
        **group.group._asdict(),
        "clean": group.counts["clean"],
        "median_us": _rounded(figures.median_us),
        "spread_pct": figures.spread_pct,
        "falloff": None if net is None else _slope(net),
    }


def _pars(
    pars: Mapping[str, tuple[Par | str, Mapping[str, Sequence[AgainstPar]]]],
    driver: DriverAnalysis,
    sheets: Mapping[str, str],
    settings: Settings,
) -> list[dict[str, Any]]:
    """Sessions in which the track moved, with the driver's laps held against par for their minute."""
    told = []
    for session, (par, against) in pars.items():
        own = against.get(driver.name, [])
        if isinstance(par, str) or not own:
            continue
        level = par.levels_us[driver.name]
        # As far as a lap may be from its run before it counts as spoiled.
        ordinary = settings.spoiled_floor_s * MICROSECONDS * sqrt(level / MICROSECONDS / 60)
        spoiled = [item for item in own if is_spoiled(driver.laps[item.position]) and item.behind_us <= ordinary]
        best = min(own, key=lambda item: item.behind_us)
        told.append(
            {
                "session": session,
                "session_id": sheets[session],
                "curve": [
                    {"minute": minute, "par_us": round(level * (1 + share))}
                    for minute, share in zip(par.minutes, par.shares, strict=True)
                ],
                "laps": [
                    {
                        "run": (lap := driver.laps[item.position].lap).run,
                        "lap": lap.number,
                        "minute": item.minute,
                        "time_us": lap.time_us,
                        "behind_us": round(item.behind_us),
                        "levelled_us": round(level * (1 + par.at(item.minute)) + item.behind_us),
                        "clean": driver.laps[item.position].clean,
                    }
                    for item in own
                ],
                "words": par_words(par.shares, driver.laps[best.position].lap, best.behind_us, len(spoiled)),
            }
        )
    return told


def _one(values: set[str | None]) -> str | None:
    return next(iter(values)) if len(values) == 1 else None


def _rounded(value: Any) -> int | None:
    return None if value is None else round(value)


def _pace(
    driver: DriverAnalysis, goal: int | None, readings: Sequence[TreadReading], settings: Settings
) -> dict[str, Any]:
    falloff = driver.main.falloff
    curve = learning_curve(learning_points(driver.laps, driver.main.members), goal)
    wear = wear_of(readings, settings.tread_threshold_pct)
    return {
        "falloff": _falloff(falloff),
        "falloff_words": falloff_words(falloff),
        "learning": {
            "points": [{"laps_done": point.laps_done, "median_us": round(point.median_us)} for point in curve.points],
            "curve": [
                {"laps_done": done, "median_us": round(value)}
                for done in _steps(curve.points)
                if (value := curve.at(done)) is not None
            ],
            "floor_us": _rounded(curve.floor_us),
            "remain": curve.remain,
            "words": learning_words(curve, goal),
        },
        "wear": wear if isinstance(wear, str) else None,
        "wheels": []
        if isinstance(wear, str)
        else [{**asdict(wheel), "wheel": name} for name, wheel in wear.wheels.items()],
    }


def _steps(points: Sequence[Point]) -> list[float]:
    if not points:
        return []
    first, last = max(points[0].laps_done, 1.0), points[-1].laps_done
    return [first + (last * 1.25 - first) * at / 40 for at in range(41)]


def _falloff(falloff: Falloff) -> dict[str, Any] | None:
    net = falloff.net
    if net is None:
        return None
    return {
        **_slope(net),
        "laps_used": net.n,
        "runs_used": net.runs,
        "correlation": net.correlation,
        "cliff": None if falloff.cliff is None else asdict(falloff.cliff),
        "by_set": [{"tyre_set": label, **_slope(slope)} for label, slope in sorted(falloff.by_set().items())],
    }


def _slope(slope: Slope) -> dict[str, int]:
    return {"us_per_lap": round(slope.value), "low_us": round(slope.low), "high_us": round(slope.high)}


def _readings(
    session: Session, actor: Actor, row: Combination, driver: Driver, laps: Sequence[CoreLap]
) -> list[TreadReading]:
    """Tread read after runs, with the laps that the set had done by then."""
    query = (
        select(Run, PracticeSession.label)
        .join(PracticeSession, (PracticeSession.team_id == Run.team_id) & (PracticeSession.id == Run.session_id))
        .where(Run.team_id == actor.team_id, Run.combination_id == row.id, Run.driver_id == driver.id)
    )
    out = []
    for run, label in session.execute(query):
        ages = [
            lap.tyre_age for lap in laps if (lap.session, lap.run) == (label, run.number) and lap.tyre_age is not None
        ]
        for reading in run.readings or []:
            tread = {
                wheel: float(value) for wheel, value in (reading.get("tread_pct") or {}).items() if value is not None
            }
            if tread and ages:
                out.append(TreadReading(max(ages) + 1, tread))
    return out
