"""The demo's seasons and team: what a manager has entered by the evening on which the demo is opened."""

import json
from collections.abc import Sequence
from dataclasses import asdict
from datetime import datetime
from pathlib import Path
from typing import Any, Final
from uuid import UUID

from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.season.availability import Span, free_spans
from fleet_rival.core.season.clashes import occupied, starts_in_time
from fleet_rival.core.season.targets import Benchmark, Target
from fleet_rival.core.season.weeks import Changeable, Compound
from fleet_rival.core.season.weeks import SeriesWeek as CoreWeek
from fleet_rival.core.season.zones import known_zone
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.week import cars, combinations, entries, profiles, season_files, series
from fleet_rival.services.week.rows import load_weeks
from fleet_rival.services.week.series import WeekView
from fleet_rival.simulator.garage import CAR_SHEETS, RULES
from fleet_rival.simulator.league import BEHIND, SERIES, SeriesWeek
from fleet_rival.simulator.people import COACH, DRIVERS, PROFILES

__all__ = ["load_week", "season_week"]

_RIG: Final = "Cellar rig"
_ON_THE_RIG: Final = ("Ysolde Farrand", "Nerys Callowhill")
"""Two who want the shared rig at the same time, where their evenings allow it."""
_DOUBLE: Final = "Teodora Wick"
"""Entered for two starts at once."""
_UNDECIDED: Final = "Amparo Quillon"
"""Entered in the running week, and hasn't chosen a start in two series yet."""
_NEW_IN: Final = {"Long Hills Open": "Brannoc Tull", "Black Cinder League": "Ysolde Farrand"}
"""Entered in the running week without having driven there."""
_BENCHMARKS: Final = {
    ("Fishmarket", "Wrenfield EC-2"): 65_400_000,
    ("Fishmarket", "Ostelind Volant"): 65_800_000,
    ("Ebb Tide", "Wrenfield EC-2"): 65_700_000,
}


def season_week(item: SeriesWeek) -> CoreWeek:
    """A week of the league as a season file holds it."""
    of, rules = item.series, RULES[item.series.kind]
    return CoreWeek(
        series=of.name,
        week=item.number,
        zone=of.zone,
        begins=item.begins,
        ends=item.ends,
        cars=(item.car.name,),
        track=item.place.track,
        layout=item.place.layout,
        race_laps=of.race_laps,
        race_minutes=of.race_minutes,
        starts=of.starts,
        start=of.start,
        setup=of.setup,
        cautions=rules.cautions,
        practice_minutes=rules.practice_minutes,
        qualifying_minutes=rules.qualifying_minutes,
        qualifying_laps=rules.qualifying_laps,
        fuel_rate=rules.fuel_rate,
        tyre_rate=rules.tyre_rate,
        compounds=tuple(Compound(name, must=len(of.compounds) == 1) for name in of.compounds),
        stops_min=rules.stops_min,
        grid=rules.grid,
        strike_limit=rules.strike_limit or None,
        incident_limit=rules.incident_limit,
        session_local=item.session_local,
        air_temp_c=item.air_temp_c,
        track_temp_c=item.track_temp_c,
        wetness=item.wetness,
        limits_rule=rules.limits_rule,
        changeable=tuple(
            Changeable(
                one["name"],
                float(one["default"]),
                float(one["low"]),
                float(one["high"]),
                float(one["step"]),
                one["unit"],
            )
            for one in rules.changeable
        ),
    )


def load_week(sessions: sessionmaker[Session], manager: Actor, folder: Path) -> None:
    """Enter seasons, cars, drivers and who drives what, the way a manager would.

    Args:
        folder: with the scenario's files.
    """
    for path in sorted(folder.glob("*.season.csv")):
        file_id = season_files.upload(sessions, manager, path.name, path.read_bytes())
        seen = season_files.preview(sessions, manager, file_id)
        season_files.import_season(sessions, manager, file_id, seen.stamp, take_changes=False)
    _cars(sessions, manager)
    rig = _people(sessions, manager, json.loads((folder / "drivers.json").read_text()))
    busy: dict[str, list[Span]] = {}
    # The harbour first: there the two who share a rig must meet.
    for item in sorted(series.series(sessions, manager), key=lambda item: not item.name.startswith("Harbour")):
        _entries(sessions, manager, item.id, item.name, rig, busy)
    _targets(sessions, manager)


def _cars(sessions: sessionmaker[Session], manager: Actor) -> None:
    drivers = {item.name: item.id for item in profiles.profiles(sessions, manager)}
    for item in cars.cars(sessions, manager):
        sheet = CAR_SHEETS[item.name]
        values = {**asdict(sheet), "name": item.name, "note": None, "restricted": sheet.drivers is not None}
        allowed = [drivers[DRIVERS[number].name] for number in sheet.drivers or ()]
        cars.change_car(sessions, manager, item.id, cars.car(sessions, manager, item.id).version, values, allowed)


def _people(sessions: sessionmaker[Session], manager: Actor, free_time: Sequence[dict[str, Any]]) -> UUID:
    windows = {item["driver"]: item for item in free_time}
    for driver in profiles.profiles(sessions, manager):
        free, own = windows[driver.name], PROFILES[driver.name]
        weekly = [{"days": list(free["weekdays"]), "begins": free["begins"], "ends": free["ends"]}]
        values = {**own, "zone": free["zone"], "availability": {"weekly": weekly, "off": [], "extra": []}}
        profiles.change_profile(sessions, manager, driver.id, driver.version, values)
    coach = profiles.add_resource(sessions, manager, COACH, "coach")
    evenings = {"weekly": [{"days": [0, 1, 2, 3], "begins": "18:00", "ends": "21:00"}], "off": [], "extra": []}
    profiles.change_resource(
        sessions,
        manager,
        coach.id,
        coach.version,
        {"name": COACH, "zone": "Europe/London", "availability": evenings, "note": None},
    )
    rig = profiles.add_resource(sessions, manager, _RIG, "rig")
    days = {"weekly": [{"days": [0, 1, 2, 3, 4, 5, 6], "begins": "08:00", "ends": "23:30"}], "off": [], "extra": []}
    values = {
        "name": _RIG,
        "zone": "Europe/Oslo",
        "availability": days,
        "note": "Below the club room; the key hangs behind the door.",
    }
    profiles.change_resource(sessions, manager, rig.id, rig.version, values)
    return rig.id


def _entries(
    sessions: sessionmaker[Session], manager: Actor, series_id: UUID, name: str, rig: UUID, busy: dict[str, list[Span]]
) -> None:
    """Enter a series' regular drivers, and choose their starts so that none of theirs are at once: with one
    exception.
    """
    of = next(item for item in SERIES if item.name == name)
    drivers = {item.name: item for item in profiles.profiles(sessions, manager)}
    weeks = series.weeks(sessions, manager, series_id)
    regular = [drivers[DRIVERS[number].name].id for number in of.drivers]
    entries.enter(sessions, manager, [item.id for item in weeks], regular, "want")
    running = weeks[BEHIND]
    if name in _NEW_IN:
        entries.enter(sessions, manager, [running.id], [drivers[_NEW_IN[name]].id], "if_ready")
    with sessions() as session:
        keys = [
            item.row.id
            for item in load_weeks(session, manager)
            if item.row.public_id in {one.id for one in weeks[: BEHIND + 1]}
        ]
        made = entries.entries_of_weeks(session, manager, keys)
    by_week = {item.id: item for item in weeks}
    shared = _shared_start([drivers[name] for name in _ON_THE_RIG], running) if of.kind == "harbour" else None
    for entry in made:
        at = by_week[entry.week_id]
        values: dict[str, Any] = {"importance": "must"} if of.kind == "harbour" else {}
        if at is not running or entry.driver != _UNDECIDED or of.kind == "hills":
            taken = () if entry.driver == _DOUBLE else busy.setdefault(entry.driver, [])
            fitting = [start for start in _fitting(drivers[entry.driver], at) if not _taken(start, at, taken)]
            values["starts"] = [fitting[-1]] if fitting else []
        if shared and at is running and entry.driver in _ON_THE_RIG:
            values |= {"starts": [shared], "resource_id": rig}
        for start in values.get("starts", ()):
            busy.setdefault(entry.driver, []).append(occupied(start, at.facts.busy_minutes()))
        if values:
            entries.change_entry(sessions, manager, entry.id, entry.version, values)


def _taken(start: datetime, at: WeekView, busy: Sequence[Span]) -> bool:
    begins, ends = occupied(start, at.facts.busy_minutes())
    return any(begins < end and begin < ends for begin, end in busy)


def _fitting(driver: profiles.DriverProfile, at: WeekView) -> list[datetime]:
    """The starts of a week that fit into a driver's free time."""
    free = free_spans(
        profiles.availability_of(driver.availability), known_zone(driver.zone or "UTC"), at.begins_at, at.ends_at
    )
    return starts_in_time(at.start_times, at.facts.busy_minutes(), free)


def _shared_start(pair: Sequence[profiles.DriverProfile], at: WeekView) -> datetime | None:
    """The last start that fits all of them."""
    return max(set.intersection(*(set(_fitting(driver, at)) for driver in pair)), default=None)


def _targets(sessions: sessionmaker[Session], manager: Actor) -> None:
    """Targets for the harbour and the hills; nobody has set one for the oval yet."""
    for item in combinations.combinations(sessions, manager):
        if not item.laps:
            continue
        if item.track == "Port Skerrow":
            benchmark = Benchmark(
                _BENCHMARKS[item.layout, item.car], "a friend of the team", "last season, same rules", "dry, 24 °C"
            )
            combinations.set_target(
                sessions, manager, item.id, item.version, Target("benchmark", per_cent=101.0), benchmark, (8, 12)
            )
        elif item.track == "Vardrum Hills":
            combinations.set_target(
                sessions, manager, item.id, item.version, Target("ideal", per_cent=100.5), None, (10, 15)
            )
