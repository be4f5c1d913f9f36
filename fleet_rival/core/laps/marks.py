"""Marks: why a lap does or doesn't count. Facts come first; rules fill in what nobody said, and say that they did."""

from collections import defaultdict
from collections.abc import Mapping, Sequence, Set
from dataclasses import dataclass, field, replace
from fractions import Fraction
from math import sqrt
from typing import Final

import numpy as np

from fleet_rival.core.laps.groups import Group, group_of
from fleet_rival.core.laps.lap import NO_EVIDENCE_PURPOSES, Incident, Lap
from fleet_rival.core.laps.order import following, in_order
from fleet_rival.core.laps.taken import Taken, flagged_parts, taken_parts
from fleet_rival.core.laps.tow import towed
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import MAD_TO_SD, detrended, median, median_abs_deviation, middle, theil_sen_slope
from fleet_rival.core.times import MICROSECONDS
from fleet_rival.core.track import Track
from fleet_rival.core.words import MARKS

__all__ = ["COUNTED_ALONG", "JudgedLap", "asks", "judge"]

_NOT_ELIGIBLE: Final = frozenset(
    {"cold", "tow", "traffic", "yellow", "pit", "in_part", "carried", "cool", "practice_only"}
)
_NOT_BEST: Final = frozenset({"invalid", "incident", "tow", "yellow", "pit"})
_NOT_BEST_IN_PART: Final = frozenset({"tow", "yellow"})
_NO_PARTS: Final = frozenset({"tow", "traffic", "yellow", "pit"})
_NO_PASSES: Final = frozenset({"cold", "tow", "traffic", "yellow", "pit", "cool", "practice_only"})
COUNTED_ALONG: Final = ("tow", "cold", "practice_only")
"""Marks that settings of the name `with_…` count along."""


@dataclass(slots=True)
class JudgedLap:
    """A lap with its marks and what follows from them."""

    lap: Lap
    group: Group
    taken: Taken
    next_lap: int | None
    """Position of the lap that followed in the same run, in the list that `judge` returns."""
    marks: dict[str, bool] = field(default_factory=dict)
    """Mark to whether a rule inferred it; facts are False."""
    cold_parts: frozenset[str] = frozenset()
    """Segments driven on cold tyres, where those are told by time."""
    overruled: frozenset[str] = frozenset()
    """Marks that facts or rules would set, and that somebody said don't stand."""
    timed_well: bool = True
    """Whether its times are exact enough for ideal laps."""
    counted: frozenset[str] = frozenset()
    """Marks that the settings count along, as if the lap didn't have them."""
    settled: tuple[bool, bool] | None = field(default=None, init=False)
    """Whether it is eligible, and clean: asked for often, and known once all marks stand."""

    @property
    def flying(self) -> bool:
        return self.lap.kind == "flying"

    @property
    def against(self) -> Set[str]:
        """Marks that speak against the lap: all but those that are counted along."""
        return self.marks.keys() - self.counted

    @property
    def eligible(self) -> bool:
        """Flying, and nothing outside the driver's hands or intent speaks against it."""
        return self.settled[0] if self.settled else self.flying and not _NOT_ELIGIBLE & self.against

    @property
    def clean(self) -> bool:
        """Eligible, and neither invalid, incident nor spoiled: behind consistency and pace."""
        return (
            self.settled[1]
            if self.settled
            else self.eligible and not {"invalid", "incident", "spoiled"} & self.marks.keys()
        )

    @property
    def may_be_best(self) -> bool:
        if not self.flying or _NOT_BEST & self.against:
            return False
        return "in_part" not in self.marks or not any(flag in _NOT_BEST_IN_PART for flag, _ in flagged_parts(self.lap))

    @property
    def strikes(self) -> tuple[str, ...]:
        """Corners at which it was struck, unless somebody said that it wasn't."""
        return () if self.lap.said.get("invalid") is False else self.lap.strikes

    @property
    def incidents(self) -> tuple[Incident, ...]:
        """What happened in it, unless somebody said that nothing did."""
        return () if self.lap.said.get("incident") is False else self.lap.incidents

    @property
    def stands(self) -> bool:
        """Whether nothing voids it; out and in laps bear no marks, and are judged by what was said of them alone."""
        said = self.lap.said.get("invalid")
        return not said if said is not None else self.lap.valid and not self.lap.strikes

    @property
    def parts_count(self) -> bool:
        """Whether the parts that aren't taken count for ideals."""
        if not self.flying or not self.timed_well or _NO_PARTS & self.against:
            return False
        return "invalid" not in self.marks or bool(self.strikes)

    @property
    def has_passes(self) -> bool:
        """Whether the lap's parts are evidence of how the driver drives."""
        return self.flying and not _NO_PASSES & self.against

    @property
    def spoilt_when_cold(self) -> bool:
        """Whether something else than the cold speaks against it."""
        return bool((_NOT_ELIGIBLE - {"cold", "in_part"}) & self.against)


def judge(track: Track, laps: Sequence[Lap], settings: Settings) -> list[JudgedLap]:
    """Mark the laps of one driver.

    Args:
        track: the layout that was driven.
        laps: all laps of one driver, out and in laps too, runs told apart.

    Returns:
        The laps in their order, with marks. Marks stand on flying laps alone.

    >>> from fleet_rival.core.example import LAPS, TRACK
    >>> [item.lap.number for item in judge(TRACK, LAPS, Settings()) if "cold" in item.marks]
    [2]
    """
    ordered = in_order(laps)
    next_lap = following(ordered)
    taken = taken_parts(track, [_without_denied(lap) for lap in ordered], next_lap, settings)
    counted = frozenset(mark for mark in COUNTED_ALONG if getattr(settings, f"with_{mark}"))
    judged = [
        JudgedLap(lap, group_of(lap), took, after, counted=counted)
        for lap, took, after in zip(ordered, taken, next_lap, strict=True)
    ]
    for item in judged:
        item.timed_well = item.lap.plus_minus_us is None or bool(settings.hand_timed_ideals)
        if item.flying:
            _mark_facts(item, settings)
    _mark_cold(track, judged, settings)
    groups: dict[Group, list[JudgedLap]] = defaultdict(list)
    for item in judged:
        if item.flying:
            groups[item.group].append(item)
    for members in groups.values():
        _mark_tow(members, settings)
        _mark_cool(members, settings)
    for members in groups.values():
        _mark_spoiled(members, settings)
    for item in judged:
        item.settled = (item.eligible, item.clean)
    return judged


def _without_denied(lap: Lap) -> Lap:
    """A lap without the incidents and strikes that somebody said weren't any."""
    if lap.said.get("incident") is False and lap.incidents:
        lap = replace(lap, incidents=())
    if lap.said.get("invalid") is False and lap.strikes:
        lap = replace(lap, strikes=())
    return lap


def _mark(item: JudgedLap, mark: str, *, inferred: bool) -> None:
    """Set a mark, unless somebody said that it doesn't stand."""
    if item.lap.said.get(mark) is False:
        item.overruled |= {mark}
    else:
        item.marks.setdefault(mark, inferred)


def _mark_facts(item: JudgedLap, settings: Settings) -> None:
    lap = item.lap
    for mark, stands in lap.said.items():
        if stands and mark in MARKS:
            item.marks[mark] = False
    if not lap.valid or lap.strikes:
        _mark(item, "invalid", inferred=False)
    if lap.incidents:
        _mark(item, "incident", inferred=False)
    for flag in ("tow", "traffic", "yellow", "pit", "cool"):
        if flag in lap.flags:
            _mark(item, flag, inferred=False)
    if any(":" in flag for flag in lap.flags):
        _mark(item, "in_part", inferred=False)
    if _beyond_floor(lap, settings):
        _mark(item, "tow", inferred=True)
    if item.taken.carried:
        _mark(item, "carried", inferred=True)
    if lap.purpose in NO_EVIDENCE_PURPOSES:
        _mark(item, "practice_only", inferred=False)


def asks(lap: Lap, settings: Settings) -> bool:
    """Whether a lap is faster than anybody drives alone and nobody has said yet whether that was a tow or a record."""
    return _beyond_floor(lap, settings) and "tow" not in lap.said and "tow" not in lap.flags


def _beyond_floor(lap: Lap, settings: Settings) -> bool:
    return (
        settings.solo_floor_s is not None
        and lap.kind == "flying"
        and lap.time_us < settings.solo_floor_s * MICROSECONDS
    )


def _mark_cold(track: Track, judged: Sequence[JudgedLap], settings: Settings) -> None:
    runs: dict[tuple[str, int | None], list[JudgedLap]] = defaultdict(list)
    for item in judged:
        runs[item.lap.session, item.lap.run].append(item)
    first_run = {
        session: min(run for other, run in runs if other == session and run is not None) for session, _ in runs
    }
    for (session, run), members in runs.items():
        members.sort(key=lambda item: item.lap.number)
        race_start = members[0].lap.session_kind == "race" and run == first_run[session]
        if settings.cold_seconds is None:
            left = settings.cold_laps if race_start else 0
            for item in members:
                if item.lap.kind in ("out", "outin"):
                    left = settings.cold_laps
                elif item.flying and left:
                    _mark(item, "cold", inferred=True)
                    left -= 1
        elif race_start or members[0].lap.kind in ("out", "outin"):
            _mark_cold_by_time(track, members, settings.cold_seconds * MICROSECONDS)


def _mark_cold_by_time(track: Track, members: Sequence[JudgedLap], cold_us: float) -> None:
    """Cold is what was driven within `cold_us` of leaving the pits; a lap is cold when more than half of it is."""
    first = members[0].lap
    driven = 0
    for item in members:
        lap = item.lap
        if first.started_at is not None and lap.started_at is not None:
            driven = round((lap.started_at - first.started_at).total_seconds() * MICROSECONDS)
        if item.flying and 2 * (cold_us - driven) > lap.time_us:
            _mark(item, "cold", inferred=True)
        at = driven
        cold: set[str] = set()
        for part in track.segment_parts:
            time = lap.segments.get(part.code)
            if time is None:
                break
            if 2 * (cold_us - at) > time:
                cold.add(part.code)
            at += time
        item.cold_parts = (
            frozenset() if item.lap.said.get("cold") is False or "cold" in item.counted else frozenset(cold)
        )
        driven += lap.time_us


def _mark_tow(members: Sequence[JudgedLap], settings: Settings) -> None:
    if not any(item.lap.pulls for item in members):
        return
    crowded = [bool({"tow", "traffic", "yellow", "pit", "in_part"} & item.marks.keys()) for item in members]
    for item, had in zip(members, towed([item.lap for item in members], crowded, settings), strict=True):
        if had:
            _mark(item, "tow", inferred=True)


def _mark_cool(members: Sequence[JudgedLap], settings: Settings) -> None:
    """Slow on purpose: slower than 105 % of the median lap, with every known part slower than 102 % of its own
    median.
    """
    lap_limit = median([item.lap.time_us for item in members]) * Fraction(settings.cool_lap_pct) / 100
    slow = [item for item in members if item.lap.time_us > lap_limit and "cool" not in item.marks]
    if not slow:
        return
    times: dict[str, list[int]] = defaultdict(list)
    for item in members:
        for code, time in _known_parts(item.lap).items():
            times[code].append(time)
    limits = {code: median(values) * Fraction(settings.cool_part_pct) / 100 for code, values in times.items()}
    for item in slow:
        if all(time > limits[code] for code, time in _known_parts(item.lap).items()):
            _mark(item, "cool", inferred=True)


def _known_parts(lap: Lap) -> Mapping[str, int]:
    return lap.segments or lap.sectors


def _mark_spoiled(members: Sequence[JudgedLap], settings: Settings) -> None:
    """Much slower than the run's ordinary laps, after its own trend is taken out; in short runs, than the group's."""
    ordinary = [item for item in members if not item.marks]
    runs: dict[tuple[str, int | None], list[JudgedLap]] = defaultdict(list)
    for item in ordinary:
        runs[item.lap.session, item.lap.run].append(item)
    for run in runs.values():
        long = len(run) >= settings.min_clean_laps
        basis = run if long else ordinary
        times = [item.lap.time_us for item in basis]
        centre = median(times)
        floor = settings.spoiled_floor_s * MICROSECONDS * sqrt(centre / MICROSECONDS / 60)
        if long:
            numbers = [item.lap.number for item in run]
            excess = detrended(numbers, times, theil_sen_slope(numbers, times))
            scatter = MAD_TO_SD * middle(np.abs(excess))
        else:
            excess = np.asarray([float(item.lap.time_us - centre) for item in run])
            scatter = MAD_TO_SD * float(median_abs_deviation(times))
        limit = max(settings.spoiled_deviations * scatter, floor)
        for item, over in zip(run, excess, strict=True):
            if over > limit:
                _mark(item, "spoiled", inferred=True)
