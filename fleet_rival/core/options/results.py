"""What a trial of two options tells: shifts, sides, verdicts."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from fleet_rival.core.options.odds import Odds
from fleet_rival.core.words import VerdictBecause

__all__ = ["OptionTrial", "Shift", "Side", "Verdict"]


@dataclass(frozen=True, slots=True)
class Shift:
    """How much slower the second is than the first, in microseconds, with a 95 % interval; negative is faster."""

    value_us: float
    low_us: float
    high_us: float


@dataclass(frozen=True, slots=True)
class Side:
    """One option.

    Attributes:
        n, failed: passes or laps, and how many of them failed.
        median_us, spread_us: of those that didn't fail; the robust deviation.
        mean_us: of all, failures with what they cost.
        failure_low, failure_high: Jeffreys, 90 %.
    """

    label: str
    n: int
    failed: int
    median_us: float
    spread_us: float
    mean_us: float
    failure_low: float
    failure_high: float


@dataclass(frozen=True, slots=True)
class Verdict:
    """For the race, or for qualifying.

    Attributes:
        winner: `first`, `second`, `equal` or `not_yet`.
        shift: what it rests on: means with failures for the race, likely best of n laps for qualifying.
        because: what decides for a winner: `time`; `failures`, where those that worked don't tell; or `scatter`, where
            it repeats better and costs nothing.
        safer: of `equal`: which one fails less, else scatters less.
        more: of `not_yet`: about how many more passes of each; None: more than can be asked for.
        laps: distance over which two ways to drive whole runs were projected; the shift is of a lap of it on average.
            None: laps or passes were compared one by one.
    """

    winner: str
    shift: Shift
    safer: str
    more: int | None = None
    because: VerdictBecause = "time"
    laps: int | None = None


@dataclass(frozen=True, slots=True)
class OptionTrial:
    """Two options at one place.

    Attributes:
        where: a corner, `lap` or `setup`.
        switches: how often it was changed between them.
        shift: Hodges-Lehmann, failures left out; of a corner with what follows it, across the line too.
        p_value: by permutation within runs; None where no run has both.
        spread_ratio, spread_p: second over first, and Brown and Forsythe's test.
        race, qualifying: verdicts; None with a reason.
        odds: that the best of `best_of` laps is faster with the second than with the first; with a safe lap in hand,
            that the rest improve on it.
        comes_off: of an option that comes off or doesn't: how often, and what it wins and costs then.
        fragile: the label of the one that is faster when it works, and fails so often that it isn't on the whole.
        from_age: tyre age from which the second is the faster one (or no longer is).
        by_segment: of whole-lap options: shift by segment.
        bundle: what else was changed with it.
        reason: why there is no verdict; empty where there is one.
    """

    where: str
    first: Side | None
    second: Side | None
    switches: int
    shift: Shift | None = None
    p_value: float | None = None
    spread_ratio: float | None = None
    spread_p: float | None = None
    race: Verdict | None = None
    qualifying: Verdict | None = None
    best_of: int = 0
    odds: float | None = None
    odds_in_hand: tuple[float, float] | None = None
    comes_off: Odds | None = None
    fragile: str | None = None
    from_age: float | None = None
    by_segment: Mapping[str, Shift] = field(default_factory=dict)
    bundle: tuple[str, ...] = ()
    reason: str = ""
    laps: tuple[tuple[int, ...], tuple[int, ...]] = ((), ())
    """Positions of the laps behind either."""
