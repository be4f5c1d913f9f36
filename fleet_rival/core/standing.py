"""Where a driver stands in a combination: the few figures that a board shows, from the whole analysis."""

import statistics
from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from fleet_rival.core.analysis import DriverAnalysis, GroupAnalysis
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.laps.questions import questions
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import median, round_half_even

__all__ = ["SessionFigures", "Standing", "Trend", "standings_of", "trend", "which"]


@dataclass(frozen=True, slots=True)
class SessionFigures:
    """One session of a driver, in one group."""

    label: str
    began_at: datetime | None
    laps: int
    clean: int
    best_us: int | None
    """Of the laps that may be a best lap."""
    median_us: int | None
    """Of the clean laps."""


@dataclass(frozen=True, slots=True)
class Standing:
    """A driver's figures in one group of laps."""

    wetness: str
    compound: str | None
    race: bool
    laps: int
    runs: int
    clean: int
    clean_rate: float | None
    best_us: int | None
    ideal_us: int | None
    """The linked ideal, for qualifying."""
    median_us: int | None
    spread_pct: float | None
    sure: str
    track_temp_c: float | None
    air_temp_c: float | None
    """Medians over the laps that tell."""
    session_local: datetime | None
    """Date and time of day inside the simulation, of the last session that tells."""
    fuel_l_per_lap: float | None
    energy_kwh_per_lap: float | None
    """Median of what neighbouring flying laps used."""
    asked: dict[str, int]
    """How many questions of each kind only a person can answer: a tow, damage, what happened."""
    sessions: tuple[SessionFigures, ...]
    """The oldest first."""


@dataclass(frozen=True, slots=True)
class Trend:
    """What a driver drove since a moment, against what was there before."""

    laps: int
    clean: int
    best_before_us: int | None
    best_since_us: int | None

    @property
    def gained_us(self) -> int | None:
        """How much the best lap fell; 0 where it stands, None where there is nothing on one of the two sides."""
        if self.best_before_us is None or self.best_since_us is None:
            return None
        return max(0, self.best_before_us - self.best_since_us)


def standings_of(driver: DriverAnalysis, settings: Settings) -> tuple[Standing, ...]:
    """A driver's standing in each group, the main one first."""
    asked = {question.index: question.kind for question in questions(driver.laps, settings)}
    return tuple(_standing(driver.laps, group, asked) for group in (driver.main, *driver.others))


def which(standings: Sequence[Standing], wetness: str | None) -> Standing | None:
    """The group that tells most about a race in this weather: practice in the same weather with most clean laps,
    else the main group.
    """
    like = [item for item in standings if not item.race and (wetness is None or item.wetness == wetness) and item.laps]
    return max(like, key=lambda item: (item.clean, item.laps)) if like else (standings[0] if standings else None)


def trend(standing: Standing, since: datetime) -> Trend:
    """What the sessions that began at or after a moment brought."""
    new = [item for item in standing.sessions if item.began_at is not None and item.began_at >= since]
    old = [item for item in standing.sessions if item.began_at is None or item.began_at < since]
    return Trend(sum(item.laps for item in new), sum(item.clean for item in new), _fastest(old), _fastest(new))


def _fastest(sessions: Sequence[SessionFigures]) -> int | None:
    return min((item.best_us for item in sessions if item.best_us is not None), default=None)


def _standing(laps: Sequence[JudgedLap], group: GroupAnalysis, asked: Mapping[int, str]) -> Standing:
    items = [laps[index] for index in group.members]
    figures = group.consistency
    return Standing(
        wetness=group.group.wetness,
        compound=group.group.compound,
        race=group.group.race,
        laps=group.counts["total"],
        runs=len({(item.lap.session, item.lap.run) for item in items}),
        clean=group.counts["clean"],
        clean_rate=group.counts["clean"] / group.counts["eligible"] if group.counts["eligible"] else None,
        best_us=group.best.time_us if group.best else None,
        ideal_us=group.ideals.time_us("linked_qualifying"),
        median_us=round_half_even(figures.median_us),
        spread_pct=figures.spread_pct,
        sure=group.sure,
        track_temp_c=_middle([item.lap.track_temp_c for item in items]),
        air_temp_c=_middle([item.lap.air_temp_c for item in items]),
        session_local=next((item.lap.session_local for item in reversed(items) if item.lap.session_local), None),
        fuel_l_per_lap=_used(items, "fuel_l"),
        energy_kwh_per_lap=_used(items, "energy_kwh"),
        asked=dict(Counter(asked[index] for index in group.members if index in asked)),
        sessions=_sessions(items),
    )


def _sessions(items: Sequence[JudgedLap]) -> tuple[SessionFigures, ...]:
    by_label: dict[str, list[JudgedLap]] = defaultdict(list)
    for item in items:
        by_label[item.lap.session].append(item)
    return tuple(
        SessionFigures(
            label,
            min((item.lap.started_at for item in own if item.lap.started_at), default=None),
            len(own),
            sum(item.clean for item in own),
            min((item.lap.time_us for item in own if item.may_be_best), default=None),
            round_half_even(median(clean)) if (clean := [item.lap.time_us for item in own if item.clean]) else None,
        )
        for label, own in by_label.items()
    )


def _used(items: Sequence[JudgedLap], name: str) -> float | None:
    """What a lap uses: the median fall from one flying lap to the next in its run."""
    known = {(item.lap.session, item.lap.run, item.lap.number): getattr(item.lap, name) for item in items}
    falls = [
        value - after
        for (session, run, number), value in known.items()
        if value is not None and (after := known.get((session, run, number + 1))) is not None and after < value
    ]
    return round(statistics.median(falls), 4) if falls else None


def _middle(values: Sequence[float | None]) -> float | None:
    known = [value for value in values if value is not None]
    return statistics.median(known) if known else None
