"""What plans go by, each with its name, its default and what it does: the team's to change."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import time
from typing import Any

from fleet_rival.core.settings.changing import BadValue, checked

__all__ = ["Planning"]


@dataclass(frozen=True, slots=True)
class Planning:
    """Named settings of a team's plans; immutable, with the defaults of `docs/method.md`."""

    seat_limit_minutes: float = 50.0
    break_minutes: float = 10.0
    day_limit_minutes: float = 150.0
    """Longest time at the seat without a break, the break, the most in a day; each driver may have own ones."""
    quiet_from_hour: float = 0.5
    quiet_to_hour: float = 7.0
    """Nobody is asked to practise between these hours of their own day, unless they say otherwise."""
    evening_from_hour: float = 19.0
    evening_to_hour: float = 22.0
    """When people find time who say they have none, in their own zone."""
    want_pct: float = 60.0
    if_ready_pct: float = 30.0
    """What a gain counts for an entry that isn't a must, in per cent of one that is."""
    least_gain_s: float = 0.005
    """Work that brings less a lap isn't worth an evening."""
    learning_pct: float = 50.0
    """A block brings so much of what the learning curve still promises; and where there is a target, no more than the
    way to it.
    """
    reached_pct: float = 30.0
    """Beyond a target that is reached, pace is worth so much: the target was chosen because it is enough."""
    walked_laps: int = 12
    """Who has driven so many laps needs no walk of the track."""
    unknown_lap_s: float = 90.0
    """A lap where nobody has driven and no target is set."""
    slow_lap_pct: float = 130.0
    """Out laps and in laps, of a lap at pace: cold tyres one way, a pit lane the other."""
    walked_lap_pct: float = 115.0
    """A lap on which a track is learned, of a lap at pace."""
    fades_pct: float = 2.0
    fades_days: int = 10
    """What is learned fades: each day that a block is before its last possible one costs this share of its gain, so
    that the later one of two equal evenings is taken; no more days than these are counted.
    """
    stays_pct: float = 5.0
    """Who has written a block down doesn't want it moved for less than this share of its gain."""
    early_hours: float = 12.0
    late_hours: float = 24.0
    """A run drives a block that was planned for the same evening, or the one before or after it."""
    around_minutes: float = 20.0
    """People sit down a little before the hour."""
    driven_pct: float = 50.0
    """Of a block's laps, from which it is done."""
    qualifying_pct: float = 30.0
    """Of a driver's gap to the target, in a lineup: where one starts decides less than how fast one is over the
    distance.
    """
    usual_points: float = 50.0
    usual_points_lost: float = 20.0
    prior_weeks: float = 6.0
    """Points at the target, points by per cent of gap, as long as nothing is known: opinions, for the order of drivers;
    so many weeks that are known weigh as much.
    """
    elsewhere_pct: float = 0.3
    unknown_pct: float = 1.5
    """Who never drove somewhere is taken to be that much farther from the target than elsewhere; of whom no lap tells
    anything, this far from it.
    """

    @classmethod
    def from_mapping(cls, values: Mapping[str, Any]) -> "Planning":
        """Take the defaults and change what `values` names.

        Raises:
            BadValue: an unknown name, a value of the wrong kind, or one with which nothing could be planned.
        """
        made = replace(cls(), **checked(cls(), values))
        for name in ("seat_limit_minutes", "day_limit_minutes", "unknown_lap_s", "walked_lap_pct", "prior_weeks"):
            if not getattr(made, name):
                raise BadValue(name, "must be more than 0")
        for name in ("quiet_from_hour", "quiet_to_hour", "evening_from_hour", "evening_to_hour"):
            if getattr(made, name) >= 24:
                raise BadValue(name, "must be less than 24")
        if made.evening_from_hour >= made.evening_to_hour:
            raise BadValue("evening_to_hour", "must be more than where the evening begins")
        return made

    @property
    def quiet(self) -> tuple[time, time]:
        """Quiet hours as times of day."""
        return _time_of(self.quiet_from_hour), _time_of(self.quiet_to_hour)

    @property
    def evening(self) -> tuple[time, time]:
        """The evening as times of day."""
        return _time_of(self.evening_from_hour), _time_of(self.evening_to_hour)

    def weight(self, importance: str) -> float:
        """What a gain counts, by how much its entry matters."""
        weights: dict[str, float] = {"must": 100.0, "want": self.want_pct, "if_ready": self.if_ready_pct}
        return weights[importance] / 100

    @property
    def unknown_lap_us(self) -> int:
        return round(self.unknown_lap_s * 1e6)


def _time_of(hour: float) -> time:
    minutes = min(round(hour * 60), 24 * 60 - 1)
    return time(minutes // 60, minutes % 60)
