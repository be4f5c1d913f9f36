"""A driver in a week: the figures of a cell, what is open in it, and what the whole board's weeks need."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any
from uuid import UUID

from fleet_rival.core.season.attention import EntryFacts, Need, WeekFacts, concerns, needs
from fleet_rival.core.season.clashes import Clash, Entry, clashes
from fleet_rival.core.season.conditions import Conditions, Difference, differences
from fleet_rival.core.settings import Settings
from fleet_rival.core.standing import Standing, trend, which
from fleet_rival.services.find.overview.load import CombinationState, DriverState, Loaded, WeekState
from fleet_rival.services.week.entries import EntryView

__all__ = [
    "Cell",
    "cell",
    "clashes_of",
    "difference_out",
    "figures_of",
    "minutes_of",
    "race_conditions",
    "race_minutes_of",
    "week_needs",
    "with_standings",
]


@dataclass(frozen=True)
class Cell:
    """A driver in a week."""

    combination: CombinationState | None
    """Of the car that is entered, else of the one with most laps, else of the first."""
    standing: Standing | None
    laps: int
    """In this week's stretch of time, of all groups."""
    target_us: int | None
    asked: frozenset[str]
    """Kinds of questions that laps raise and only a person can answer."""
    changed_at: datetime | None
    right: bool
    """Whether the figures belong to the laps that are there now."""
    differences: tuple[Difference, ...]
    earlier: Mapping[str, int]
    """Laps of any earlier time: `same` combination, same `track`, same `car` elsewhere."""


def cell(loaded: Loaded, week: WeekState, driver: DriverState) -> Cell:
    """What is known of a driver in a week."""
    entry = week.entries.get(driver.id)
    kept = {combination.key: loaded.figures(combination, week) for combination in week.combinations}
    laps = {
        key: sum(item.laps for item in found.drivers.get(driver.key, ())) if found else 0 for key, found in kept.items()
    }
    combination = _chosen(week, entry, laps)
    found = kept.get(combination.key) if combination else None
    standings = found.drivers.get(driver.key, ()) if found else ()
    standing = which(standings, week.facts.wetness)
    return Cell(
        combination,
        standing,
        laps.get(combination.key, 0) if combination else 0,
        loaded.target(combination, week) if combination else None,
        frozenset(kind for item in standings for kind in item.asked),
        found.changed_at.get(driver.key) if found else None,
        found.right if found else not (combination and loaded.laps_of(driver).get(combination.key)),
        differences(_practised(standing), race_conditions(week), _settings(combination)) if standing else (),
        _earlier(loaded, combination, driver, laps) if combination else {},
    )


def with_standings(own: Cell, week: WeekState, standings: Sequence[Standing], laps: int) -> Cell:
    """A cell as it would be with other figures, such as those of an earlier moment."""
    standing = which(standings, week.facts.wetness)
    told = differences(_practised(standing), race_conditions(week), _settings(own.combination)) if standing else ()
    return replace(own, standing=standing, laps=laps, asked=frozenset(), differences=told)


def clashes_of(loaded: Loaded) -> dict[UUID, list[Clash]]:
    """All clashes over the weeks that are shown and those that come, by entry; their names are public ids."""
    entries = [
        Entry(
            str(entry.id),
            str(entry.driver_id),
            entry.starts,
            frozenset(week.starts),
            minutes_of(loaded, week),
            (str(entry.car_id),) if entry.car_id else tuple(str(car.id) for car in week.cars),
            str(entry.resource_id) if entry.resource_id else None,
        )
        for week in loaded.weeks
        for entry in week.entries.values()
    ]
    found = clashes(
        entries,
        {str(driver.id): driver.free for driver in loaded.drivers},
        loaded.may_drive,
        {str(item.id): item.hours for item in loaded.resources.values()},
    )
    out: dict[UUID, list[Clash]] = {}
    for clash in found:
        out.setdefault(UUID(clash.entry), []).append(clash)
    return out


def minutes_of(loaded: Loaded, week: WeekState) -> float:
    """How long a start keeps a driver busy, by the slowest of the lap times that its cars are prepared for."""
    times = [
        time
        for combination in week.combinations
        if (found := loaded.figures(combination, week))
        and (
            time := loaded.target(combination, week)
            or found.best_us
            or (combination.benchmark.time_us if combination.benchmark else None)
        )
    ]
    return week.facts.busy_minutes(max(times, default=None))


def race_minutes_of(loaded: Loaded, week: WeekState) -> float:
    """How long the race alone takes."""
    return minutes_of(loaded, week) - (week.facts.practice_minutes or 0.0) - (week.facts.qualifying_minutes or 0.0)


def race_conditions(week: WeekState) -> Conditions:
    """The race's official conditions."""
    facts = week.facts
    return Conditions(facts.session_local, facts.air_temp_c, facts.track_temp_c, facts.wetness)


def week_needs(
    loaded: Loaded, cells: Mapping[tuple[UUID, UUID], Cell], found: Mapping[UUID, list[Clash]], now: datetime
) -> tuple[Need, ...]:
    """What needs somebody in the weeks that are shown and the next ones.

    Args:
        cells: by the public ids of week and driver, of those weeks at least that need anything yet.
        found: clashes by entry.
    """
    facts = []
    for week in loaded.weeks:
        if not concerns(*week.window, now):
            continue
        entries = []
        for driver in loaded.drivers:
            if entry := week.entries.get(driver.id):
                own = cells[week.row.public_id, driver.id]
                entries.append(
                    EntryFacts(
                        str(entry.id),
                        driver.name,
                        own.laps,
                        entry.starts,
                        tuple(found.get(entry.id, ())),
                        own.differences,
                        own.asked,
                    )
                )
        facts.append(
            WeekFacts(
                str(week.row.public_id),
                *week.window,
                week.starts,
                bool(week.combinations),
                all(combination.target for combination in week.combinations),
                tuple(entries),
                max(
                    (
                        loaded.unread.get((combination.layout_key, combination.car_key), 0)
                        for combination in week.combinations
                    ),
                    default=0,
                ),
            )
        )
    return needs(facts, now, Settings())


def figures_of(own: Cell, since: datetime) -> dict[str, Any]:
    """The figures of a cell as they go out.

    Args:
        since: the trend is against what was there before.
    """
    item = own.standing
    moved = trend(item, since) if item else None
    best = item.best_us if item else None
    return {
        "combination_id": str(own.combination.id) if own.combination else None,
        "laps": own.laps,
        "runs": item.runs if item else 0,
        "clean": item.clean if item else 0,
        "clean_rate": item.clean_rate if item else None,
        "best_us": best,
        "ideal_us": item.ideal_us if item else None,
        "spread_pct": item.spread_pct if item else None,
        "sure": item.sure if item else None,
        "wetness": item.wetness if item else None,
        "compound": item.compound if item else None,
        "target_us": own.target_us,
        "gap_us": best - own.target_us if best is not None and own.target_us is not None else None,
        "trend": {"laps": moved.laps, "clean": moved.clean, "gained_us": moved.gained_us} if moved else None,
        "earlier": dict(own.earlier),
        "differences": [difference_out(one) for one in own.differences],
        "changed_at": own.changed_at.isoformat() if own.changed_at else None,
        "right": own.right,
    }


def difference_out(one: Difference) -> dict[str, Any]:
    """What in a driver's practice is other than the race will be, as it goes out."""
    return {"what": one.what, "practised": one.practised, "race": one.race, "by": one.by, "matters": one.matters}


def _chosen(week: WeekState, entry: EntryView | None, laps: Mapping[int, int]) -> CombinationState | None:
    if entry and entry.car_id:
        key = next((car.key for car in week.cars if car.id == entry.car_id), None)
        if found := next((item for item in week.combinations if item.car_key == key), None):
            return found
    return max(week.combinations, key=lambda item: laps.get(item.key, 0), default=None)


def _practised(item: Standing) -> Conditions:
    return Conditions(item.session_local, item.air_temp_c, item.track_temp_c, item.wetness)


def _settings(combination: CombinationState | None) -> Settings:
    return Settings.from_mapping(combination.settings) if combination else Settings()


def _earlier(loaded: Loaded, own: CombinationState, driver: DriverState, laps: Mapping[int, int]) -> dict[str, int]:
    counts = {"same": 0, "track": 0, "car": 0}
    for key, count in loaded.laps_of(driver).items():
        other = loaded.combinations[key]
        if key == own.key:
            counts["same"] += count - laps.get(key, 0)
        elif other.track_key == own.track_key:
            counts["track"] += count
        elif other.car_key == own.car_key:
            counts["car"] += count
    return counts
