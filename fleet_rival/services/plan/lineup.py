"""Who drives which race: the proposal for a day's weeks and those that come, with the reasons; and standings under
the counting rule.
"""

from collections import Counter, defaultdict
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any, Final
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.planning.readiness import Evidence
from fleet_rival.core.season.clashes import starts_in_time
from fleet_rival.core.season.lineup import Form, PointsRule, Race, Scored, gap_of, line_up, points_rule, standings
from fleet_rival.core.settings import Planning
from fleet_rival.db.tables import Combination, Driver, Entry, Series, SeriesWeekRow, StandingRow
from fleet_rival.services.find.overview.cells import cell, minutes_of
from fleet_rival.services.find.overview.fresh import up_to_date
from fleet_rival.services.find.overview.load import DriverState, Loaded, WeekState
from fleet_rival.services.fix.work import helped_by_kind
from fleet_rival.services.plan.evidence import driven_runs, evidence_of
from fleet_rival.services.plan.make import moment_of
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.planning import team_planning
from fleet_rival.services.week.combinations import target_of
from fleet_rival.services.week.entered import combinations_of
from fleet_rival.services.week.stretches import ALL_TIME
from fleet_rival.wording.lineup import choice_words, form_words, not_words, rule_words

__all__ = ["propose"]

_SEASON: Final = 52
"""Weeks to come that are looked at: no season is longer."""


@dataclass(frozen=True, slots=True)
class _Candidate:
    """A driver before a race.

    Attributes:
        gap_pct: to the target over qualifying and race.
        known: `here`: from laps here; `elsewhere`: from other places; `nothing`.
        why_not: why they can't drive it; None: they can.
    """

    driver: DriverState
    week: WeekState
    gap_pct: float
    known: str
    form: Form
    clean_rate: float | None
    starts: int | None
    why_not: str | None


def propose(
    sessions: sessionmaker[Session],
    actor: Actor,
    day: date | None = None,
    most_each: int = 1,
    places: Mapping[UUID, int] | None = None,
    *,
    whole_season: bool = False,
    clock: Callable[[], datetime] = now,
) -> dict[str, Any]:
    """Who should drive which race.

    Args:
        most_each: races a driver and week of the calendar.
        places: of a series: how many drivers at most; all where missing.
        whole_season: all weeks to come too, so that dropped weeks are chosen well; else the weeks of the day alone.
    """
    now = clock()
    loaded = up_to_date(sessions, actor, moment_of(day, clock), _SEASON if whole_season else 0)
    with sessions() as session:
        series = {row.id: row for row in session.scalars(select(Series).where(Series.team_id == actor.team_id))}
        past = _past(session, actor)
        planning = team_planning(session, actor.team_id)
        rule = points_rule(_known(session, actor, past, planning), planning)
        rounds = _rounds([loaded.shown, *(loaded.coming if whole_season else ())], now)
        candidates = _candidates(sessions, session, actor, loaded, rounds, planning, now)
    races = [
        Race(
            str(week.row.public_id),
            week.facts.series,
            str(number),
            (places or {}).get(week.series_id, len(loaded.drivers)),
        )
        for number, week in rounds
    ]
    able = {(item.driver.name, str(item.week.row.public_id)): item for item in candidates if item.why_not is None}
    scored = [Scored(*key, rule.expected(item.gap_pct)) for key, item in able.items()]
    best_weeks = {row.name: row.best_weeks for row in series.values()}
    earlier = {whose: {week.key: week.points for week in weeks} for whose, weeks in past.items()}
    lineup = line_up(races, scored, earlier, best_weeks, most_each, told="0")
    chosen = {(item.driver, item.race): item for item in lineup.choices}
    period = {race.key: race.period for race in races}
    taken = Counter((item.driver, period[item.race]) for item in lineup.choices)
    full = {
        (driver, race.key)
        for race in races
        for driver, count in ((name, taken[name, race.period]) for name, _ in able)
        if count >= most_each
    }
    return {
        "points": lineup.points,
        "proven": lineup.proven,
        "rule": rule_words(rule.points, rule.slope, rule.weeks),
        "races": [_race(week, number) for number, week in rounds],
        "rows": [
            {
                "driver_id": driver.id,
                "driver": driver.name,
                "cells": [_cell(item, rule, chosen, full) for item in candidates if item.driver == driver],
            }
            for driver in loaded.drivers
        ],
        "standings": [_standing(row, past, loaded) for row in sorted(series.values(), key=lambda item: item.name)],
    }


@dataclass(frozen=True, slots=True)
class _Week:
    """A driver's week in a series that is over."""

    key: str
    entry_id: UUID
    version: int
    number: int
    entry_key: int
    driver_key: int
    points: float


def _past(session: Session, actor: Actor) -> dict[tuple[str, str], list[_Week]]:
    """Points of earlier weeks by driver and series, in the order of the weeks."""
    query = (
        select(Entry, Driver.name, Series.name.label("series"), SeriesWeekRow.number)
        .join(Driver, (Driver.team_id == Entry.team_id) & (Driver.id == Entry.driver_id))
        .join(SeriesWeekRow, (SeriesWeekRow.team_id == Entry.team_id) & (SeriesWeekRow.id == Entry.week_id))
        .join(Series, (Series.team_id == Entry.team_id) & (Series.id == SeriesWeekRow.series_id))
        .where(Entry.team_id == actor.team_id, Entry.points.is_not(None))
        .order_by(SeriesWeekRow.number)
    )
    out: dict[tuple[str, str], list[_Week]] = defaultdict(list)
    for row, driver, name, number in session.execute(query):
        out[driver, name].append(
            _Week(f"week {number}", row.public_id, row.version, number, row.id, row.driver_id, row.points or 0.0)
        )
    return out


def _known(
    session: Session, actor: Actor, past: Mapping[tuple[str, str], Sequence[_Week]], planning: Planning
) -> list[tuple[float, float]]:
    """Gaps and points of earlier weeks, from the standings over all laps in what was driven then; without falloff and
    mistakes, of which nothing is kept."""
    weeks = [week for some in past.values() for week in some]
    places = combinations_of(session, actor, {week.entry_key for week in weeks})
    keys = {int(key) for some in places.values() for key in some}
    rows = session.execute(
        select(Combination, StandingRow.driver_id, StandingRow.figures)
        .join(
            StandingRow, (StandingRow.team_id == Combination.team_id) & (StandingRow.combination_id == Combination.id)
        )
        .where(Combination.team_id == actor.team_id, Combination.id.in_(keys), StandingRow.since == ALL_TIME.since)
    ).all()
    ideals = {
        combination.id: figures[0].get("ideal_us")
        for combination, driver, figures in rows
        if driver is None and figures
    }
    gaps: dict[tuple[str, int], float] = {}
    for combination, driver, figures in rows:
        if driver is None or not figures:
            continue
        ideal = ideals.get(combination.id)
        wanted = target_of(combination, ideal) or ideal
        gap = gap_of(Form(figures[0]["best_us"], figures[0]["median_us"]), wanted, 0.0, planning) if wanted else None
        if gap is not None:
            gaps[str(combination.id), driver] = gap
    out = []
    for week in weeks:
        # Of several cars that may be driven, the one in which the driver is best.
        own = [gaps[key, week.driver_key] for key in places.get(week.entry_key, ()) if (key, week.driver_key) in gaps]
        if own:
            out.append((min(own), week.points))
    return out


def _rounds(steps: Sequence[Sequence[WeekState]], now: datetime) -> list[tuple[int, WeekState]]:
    """Weeks that aren't over, each where it comes first, with the number of the calendar's week."""
    first = {
        week.row.id: (number, week)
        for number, step in reversed(list(enumerate(steps)))
        for week in step
        if week.window[1] > now
    }
    return sorted(first.values(), key=lambda item: (item[0], item[1].facts.series))


def _candidates(
    sessions: sessionmaker[Session],
    session: Session,
    actor: Actor,
    loaded: Loaded,
    rounds: Sequence[tuple[int, WeekState]],
    planning: Planning,
    now: datetime,
) -> list[_Candidate]:
    driven = driven_runs(session, actor)
    helped = helped_by_kind(sessions, actor)
    out: list[_Candidate] = []
    for number, week in rounds:
        for driver in loaded.drivers:
            own = cell(loaded, week, driver)
            form = Form(None, None)
            if own.laps and own.standing is not None:
                # What recurs and what tyres cost takes its time to find: only for the races that are next.
                told = (
                    evidence_of(sessions, actor, loaded, week, driver, own, driven, helped)
                    if number == 0
                    else Evidence()
                )
                cost = sum(item.cost_us for item in told.mistakes)
                form = Form(own.standing.best_us, own.standing.median_us, max(0.0, told.falloff_us or 0.0), cost)
            target = own.target_us or _ideal(loaded, week)
            gap = (
                gap_of(form, target, week.facts.race_laps or minutes_of(loaded, week) * 60e6 / target, planning)
                if target
                else None
            )
            starts = None
            if driver.free is not None and week.starts:
                starts = sum(
                    start > now for start in starts_in_time(week.starts, minutes_of(loaded, week), driver.free)
                )
            rate = own.standing.clean_rate if own.standing else None
            known = "here" if gap is not None else ""
            out.append(
                _Candidate(driver, week, gap or 0.0, known, form, rate, starts, _why_not(loaded, week, driver, starts))
            )
    return [_completed(item, out, planning) for item in out]


def _completed(item: _Candidate, all_of_them: Sequence[_Candidate], planning: Planning) -> _Candidate:
    """Who never drove somewhere, by how they drive elsewhere."""
    if item.known:
        return item
    others = [other.gap_pct for other in all_of_them if other.driver == item.driver and other.known]
    gap, known = (
        (sum(others) / len(others) + planning.elsewhere_pct, "elsewhere")
        if others
        else (planning.unknown_pct, "nothing")
    )
    return _Candidate(item.driver, item.week, gap, known, item.form, item.clean_rate, item.starts, item.why_not)


def _ideal(loaded: Loaded, week: WeekState) -> int | None:
    """Where nobody set a target, the team's best ideal."""
    found = [
        kept.ideal_us
        for item in week.combinations
        if (kept := loaded.figures(item, week)) and kept.ideal_us is not None
    ]
    return min(found, default=None)


def _why_not(loaded: Loaded, week: WeekState, driver: DriverState, starts: int | None) -> str | None:
    cars = [loaded.may_drive.get(str(car.id)) for car in week.cars]
    if cars and all(allowed is not None and str(driver.id) not in allowed for allowed in cars):
        return "car"
    return "time" if starts == 0 else None


def _race(week: WeekState, number: int) -> dict[str, Any]:
    return {
        "week_id": week.row.public_id,
        "series_id": week.series_id,
        "series": week.facts.series,
        "place": week.facts.place,
        "cars": week.car_names,
        "step": number,
        "begins_at": week.window[0],
    }


def _cell(
    item: _Candidate, rule: PointsRule, chosen: Mapping[tuple[str, str], Any], full: Collection[tuple[str, str]]
) -> dict[str, Any]:
    key = (item.driver.name, str(item.week.row.public_id))
    choice = chosen.get(key)
    why_not = item.why_not or ("full" if key in full else "others")
    return {
        "week_id": item.week.row.public_id,
        "entered": item.driver.id in item.week.entries,
        "chosen": choice is not None,
        "counts": choice.counts if choice else False,
        "points": rule.expected(item.gap_pct) if item.why_not is None else None,
        "margin": choice.margin if choice else None,
        "why_not": None if choice else why_not,
        "words": choice_words(choice.counts, choice.margin, choice.instead) if choice else not_words(why_not),
        "because": form_words(
            item.gap_pct, item.known, item.form.falloff_us, item.form.mistakes_us, item.clean_rate, item.starts
        ),
    }


def _standing(row: Series, past: Mapping[tuple[str, str], Sequence[_Week]], loaded: Loaded) -> dict[str, Any]:
    drivers: list[dict[str, Any]] = []
    for driver in loaded.drivers:
        weeks = past.get((driver.name, row.name), ())
        told = standings({week.key: week.points for week in weeks}, row.best_weeks)
        dropped = {name for name, _ in told.dropped}
        if weeks:
            drivers.append(
                {
                    "driver_id": driver.id,
                    "driver": driver.name,
                    "total": told.total,
                    "weeks": [
                        {
                            "entry_id": week.entry_id,
                            "version": week.version,
                            "number": week.number,
                            "points": week.points,
                            "dropped": week.key in dropped,
                        }
                        for week in weeks
                    ],
                }
            )
    drivers.sort(key=lambda item: (-item["total"], item["driver"]))
    return {
        "series_id": row.public_id,
        "version": row.version,
        "series": row.name,
        "best_weeks": row.best_weeks,
        "starts_count": row.starts_count,
        "drivers": drivers,
    }
