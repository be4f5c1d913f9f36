"""One combination's laps, analysed: each driver in each group, and the team's best parts."""

from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from fleet_rival.core.consistency import Consistency, consistency_of, with_intervals
from fleet_rival.core.corners.references import PartFigures, part_figures
from fleet_rival.core.ideals import BestOf, Ideals, TeamIdeal, best_of, ideals_of, team_ideal
from fleet_rival.core.ideals.best_of import LAP_COUNTS, Place, best_of_run, cold_offset, moved
from fleet_rival.core.laps.groups import Group, group_of
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.marks import JudgedLap, judge
from fleet_rival.core.laps.verdict import failed, is_cold, is_guests, was_free
from fleet_rival.core.pace.falloff import Falloff, falloff_of
from fleet_rival.core.settings import Settings
from fleet_rival.core.track import Track
from fleet_rival.core.units import measure
from fleet_rival.core.words import MARKS

__all__ = [
    "Analysis",
    "DriverAnalysis",
    "GroupAnalysis",
    "OfDriver",
    "analyse",
    "analyse_driver",
    "grouped",
    "with_share_intervals",
]


@dataclass(frozen=True, slots=True)
class GroupAnalysis:
    """Figures of one driver in one group."""

    group: Group
    members: tuple[int, ...]
    """Positions of the group's flying laps among the driver's laps, in order."""
    counts: Mapping[str, int]
    """`total`, `flying`, `eligible`, `clean`, then each mark over flying laps, each by itself."""
    best: Lap | None
    ideals: Ideals
    consistency: Consistency
    falloff: Falloff
    segments: Mapping[str, PartFigures]
    best_of: tuple[BestOf, ...] | None
    best_of_after_out_lap: tuple[BestOf, ...] | None
    sure: str
    """`firm`, `likely` or `thin`."""
    warnings: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class DriverAnalysis:
    """One driver: all laps with their marks, the main group and the others."""

    name: str
    guest: bool
    laps: tuple[JudgedLap, ...]
    main: GroupAnalysis
    others: tuple[GroupAnalysis, ...] = field(default=())

    def clean_times(self, group: GroupAnalysis) -> list[int]:
        """Times of a group's clean laps, in microseconds, in order."""
        return [self.laps[index].lap.time_us for index in group.members if self.laps[index].clean]


@dataclass(frozen=True, slots=True)
class Analysis:
    """All drivers of a combination, by name in order, and the team ideal of the group with most clean laps."""

    drivers: Mapping[str, DriverAnalysis]
    team: TeamIdeal
    team_group: Group | None


OfDriver = Callable[[Track, str, Sequence[Lap], Settings], "DriverAnalysis"]


def analyse(
    track: Track, laps: Sequence[Lap], settings: Settings | None = None, of_driver: OfDriver | None = None
) -> Analysis:
    """Analyse the laps of one combination.

    Args:
        track: the layout.
        laps: laps of any drivers, runs told apart, no identity twice.
        settings: thresholds; the defaults where missing.
        of_driver: what analyses the laps of one driver: `analyse_driver`, or what remembers its answers.

    >>> from fleet_rival.core.example import LAPS, TRACK
    >>> driver = analyse(TRACK, LAPS).drivers["Ysolde Farrand"]
    >>> driver.main.consistency.n, driver.main.consistency.median_us
    (12, Fraction(60020000, 1))
    """
    of_driver = of_driver or analyse_driver
    settings = settings or Settings()
    by_driver: dict[str, list[Lap]] = defaultdict(list)
    for lap in laps:
        by_driver[lap.driver].append(lap)
    drivers = {name: of_driver(track, name, by_driver[name], settings) for name in sorted(by_driver)}
    team = [driver for driver in drivers.values() if not driver.guest]
    clean: dict[Group, int] = defaultdict(int)
    for driver in team:
        for group in (driver.main, *driver.others):
            clean[group.group] += group.counts["clean"]
    team_group = max(clean, key=lambda group: (clean[group], *_reversed(group)), default=None)
    tables = {
        depth: [
            group.ideals.tables[depth]
            for driver in team
            for group in (driver.main, *driver.others)
            if group.group == team_group
        ]
        for depth in ("sectors", "segments")
    }
    return Analysis(drivers, team_ideal(tables), team_group)


def _reversed(group: Group) -> tuple[int, ...]:
    """Among equals the group that sorts first wins."""
    return tuple(-ord(character) for character in repr(group.sort_key))


def grouped(judged: Sequence[JudgedLap]) -> list[tuple[Group, list[int]]]:
    """A driver's groups with the positions of their laps, the main one first: that with most clean laps, then most
    flying ones.

    >>> from fleet_rival.core.example import TRACK, lap
    >>> laps = [lap(2), lap(3, wetness="wet"), lap(4)]
    >>> [members for _, members in grouped(judge(TRACK, laps, Settings()))]
    [[0, 2], [1]]
    """
    groups: dict[Group, list[int]] = defaultdict(list)
    for index, item in enumerate(judged):
        groups[group_of(item.lap)].append(index)

    def rank(item: tuple[Group, list[int]]) -> tuple[Any, ...]:
        group, indices = item
        return (
            -sum(judged[index].clean for index in indices),
            -sum(judged[index].flying for index in indices),
            group.sort_key,
        )

    return sorted(groups.items(), key=rank)


def analyse_driver(track: Track, name: str, laps: Sequence[Lap], settings: Settings) -> DriverAnalysis:
    """Analyse the laps of one driver; nothing of it depends on anybody else's."""
    judged = judge(track, laps, settings)
    analysed = [_analyse_group(track, judged, group, indices, settings) for group, indices in grouped(judged)]
    guest = all(is_guests(lap) for lap in laps)
    return DriverAnalysis(name, guest, tuple(judged), analysed[0], tuple(analysed[1:]))


def with_share_intervals(track: Track, driver: DriverAnalysis, settings: Settings) -> DriverAnalysis:
    """The same analysis, with the intervals of the scatter's shares.

    Args:
        settings: those that it was made with, but for `bootstrap_resamples`.
    """

    def group(of: GroupAnalysis) -> GroupAnalysis:
        return replace(of, consistency=with_intervals(of.consistency, track, driver.laps, of.members, settings))

    return replace(driver, main=group(driver.main), others=tuple(map(group, driver.others)))


def _analyse_group(
    track: Track, judged: Sequence[JudgedLap], group: Group, indices: Sequence[int], settings: Settings
) -> GroupAnalysis:
    members = tuple(index for index in indices if judged[index].flying)
    items = [judged[index] for index in members]
    counts = {
        "total": len(indices),
        "flying": len(items),
        "eligible": sum(item.eligible for item in items),
        "clean": sum(item.clean for item in items),
    }
    counts |= {mark: sum(mark in item.marks for item in items) for mark in MARKS}
    may_be_best = [item.lap for item in items if item.may_be_best]
    clean = [item.lap.time_us for item in items if item.clean]
    enough = len(clean) >= settings.min_clean_laps
    return GroupAnalysis(
        group=group,
        members=members,
        counts=counts,
        best=min(may_be_best, key=lambda lap: lap.time_us, default=None),
        ideals=ideals_of(track, judged, members, settings),
        consistency=consistency_of(track, judged, members, settings),
        falloff=falloff_of(judged, members, settings),
        segments=part_figures(track, judged, members, settings),
        best_of=tuple(best_of(clean, len(clean) / counts["eligible"])) if enough else None,
        best_of_after_out_lap=_after_out_lap(judged, members, clean, counts["eligible"], settings) if enough else None,
        sure="thin"
        if len(clean) < settings.thin_below_laps
        else "firm"
        if len(clean) >= settings.firm_from_laps
        else "likely",
        warnings=tuple(_warnings(items, settings)),
    )


def _after_out_lap(
    judged: Sequence[JudgedLap], members: Sequence[int], clean: Sequence[int], eligible: int, settings: Settings
) -> tuple[BestOf, ...] | None:
    """The best of the first laps behind an out lap: each place from like laps where there are enough, else the warm
    ones moved.
    """
    chosen = set(members)
    places: list[list[JudgedLap]] = [[] for _ in range(LAP_COUNTS[-1])]
    for item in judged:
        if item.lap.kind != "out":
            continue
        at = item.next_lap
        for place in places:
            if at is None:
                break
            if at in chosen and was_free(judged[at]):
                place.append(judged[at])
            at = judged[at].next_lap
    cold = [item.lap.time_us for place in places for item in place if is_cold(item) and not failed(item)]
    if not cold:
        return None
    warm = Place(tuple(clean), 1 - len(clean) / eligible)
    shifted = Place(moved(clean, cold_offset(cold, clean)), warm.failure)
    told: list[Place] = []
    for number, place in enumerate(places):
        counting = tuple(item.lap.time_us for item in place if not failed(item))
        if len(counting) >= settings.like_laps:
            told.append(Place(counting, 1 - len(counting) / len(place)))
        else:
            told.append(shifted if number < settings.cold_laps else warm)
    return tuple(best_of_run(told))


def _warnings(items: Sequence[JudgedLap], settings: Settings) -> list[str]:
    warnings = []
    setups = sorted({item.lap.setup for item in items if item.lap.setup})
    if len(setups) > 1:
        warnings.append(f"laps with different setups ({', '.join(setups)}) stand in one group")
    temperatures = [item.lap.track_temp_c for item in items if item.lap.track_temp_c is not None]
    if temperatures and max(temperatures) - min(temperatures) > settings.temperature_spread_c:
        warnings.append(
            f"track temperatures from {measure('temperature', min(temperatures))} to "
            f"{measure('temperature', max(temperatures))} stand in one group"
        )
    return warnings
