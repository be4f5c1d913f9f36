"""The thresholds of an analysis, each with its name, its default and what it does."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from fleet_rival.core.settings.changing import checked

__all__ = ["Settings"]


@dataclass(frozen=True, slots=True)
class Settings:
    """Named settings of an analysis; immutable, with the defaults of `docs/method.md`."""

    cold_laps: int = 1
    """Flying laps after an out lap or a race start that are cold."""
    cold_seconds: float | None = None
    """Instead of `cold_laps`, on long tracks: how long after leaving the pits the tyres are cold."""
    solo_floor_s: float | None = None
    """A lap faster than this can't have been driven alone: it is marked as tow until somebody says otherwise."""
    hand_timed_ideals: int = 0
    """1: times taken by hand count for ideal laps too; 0: they don't."""
    with_tow: int = 0
    with_cold: int = 0
    with_practice_only: int = 0
    """1: laps with this mark count as if they didn't have it, for who wants to see what difference it makes; the
    mark stays.
    """
    cool_lap_pct: float = 105.0
    cool_part_pct: float = 102.0
    """A lap is cool when slower than `cool_lap_pct` of the median lap with every part slower than `cool_part_pct` of
    its own.
    """
    spoiled_deviations: float = 4.0
    spoiled_floor_s: float = 0.9
    """A lap is spoiled beyond this many robust deviations, and never for less than the floor times the root of the
    lap in minutes.
    """
    tow_deviations: float = 3.0
    tow_kmh: float = 2.0
    tow_entry_kmh: float = 1.0
    """By traces a lap had a tow where it gained more speed at full throttle than the driver does alone, by both of the
    first; entry speeds within the third of those of nine in ten solo passes are compared."""
    incident_takes: int = 2
    strike_takes: int = 1
    """Segments taken after the one in which it happened."""
    temperature_spread_c: float = 8.0
    """Track temperatures further apart than this in one group are warned of."""
    join_tolerance_kmh: float = 1.0
    join_offset_m: float = 1.5
    """Where boundary speeds are known: how exactly two laps must meet to be joined."""
    min_clean_laps: int = 5
    """Clean laps below which consistency and pace aren't computed; also the shortest run whose trend is read."""
    thin_below_laps: int = 12
    firm_from_laps: int = 30
    """Below the first a figure is thin, from the second on it is firm, between them likely."""
    within_pct: float = 0.5
    streak_pct: float = 0.3
    """Distance from the median within which laps count as alike, for the share and for the streak."""
    like_laps: int = 8
    """Laps of one place in the run from which that place has a distribution of its own."""
    seconds_per_litre: float | None = None
    """What a litre of fuel on board costs a lap, where it is known: with it the tyres' part of the falloff can be
    told.
    """
    cliff_bic: float = 6.0
    """By how much two pieces of pace over a run must be better than one, in BIC, for the bend to be told as a cliff."""
    par_moves_pct: float = 0.3
    """A session whose pace moves by less, in per cent of the lap, has no par of its own for each minute."""
    equal_pct: float = 0.05
    """Options that differ by less than this share of the lap, in per cent, are equal for practical purposes."""
    option_switches: int = 3
    """Switches between two options below which there is no verdict: order and option can't be told apart."""
    tread_threshold_pct: float = 30.0
    """Tread at which a tyre is through."""
    reference_passes: int = 5
    """Passes below which a segment's reference is its second-best time."""
    slip_deviations: float = 2.5
    slip_floor_s: float = 0.05
    slip_floor_pct: float = 0.6
    """A pass is a slip beyond this many deviations of the ordinary passes, never for less than the floors, the second
    in per cent of the segment. At 2.5 deviations one ordinary pass in 160 passes for one; the floors keep it from
    mattering."""
    mixture_passes: int = 8
    mixture_bic: float = 6.0
    mixture_apart: float = 2.5
    mixture_fast_share: float = 0.25
    mixture_slow_share: float = 0.10
    """When the faster of two components is what is ordinary: strong evidence (Kass and Raftery, 1995), clearly
    apart, neither a few passes.
    """
    carried_segments: int = 3
    carried_lap_share: float = 1 / 3
    """How far behind a slip a loss may be its knock-on, and within which share of the lap."""
    recurring_slips: int = 3
    recurring_runs: int = 2
    stray_rate: float = 0.01
    false_discoveries: float = 0.01
    recurring_cost_s: float = 0.02
    recurring_surely_s: float = 0.01
    """A mistake recurs from so many slips in so many runs on, more than chance at this rate of false discoveries,
    and worth the first of these a lap, the second at the lower end of the interval of its rate.
    """
    standing_floor_s: float = 0.05
    standing_deviations: float = 4.0
    """A standing loss stands out from the driver's other corners by so many robust deviations of their gaps, and by
    the floors of a slip.
    """
    trade_passes: int = 12
    trade_deviations: float = 3.9
    """Passes from which a trade is told, and standard errors by which it stands out: at the usual two, one in four
    evenings without any would show one.
    """
    bootstrap_resamples: int = 999
    bootstrap_seed: int = 20
    """For the intervals of the shares of scatter; 0 resamples: none."""
    condition_minutes: float = 120.0
    condition_air_c: float = 6.0
    condition_track_c: float = 8.0
    """Practice further than this from the race's time of day, air or track temperature is pointed out."""
    lead_days: float = 21.0
    """Laps driven up to this long before a week begins are practice for it, where no other week had the combination
    since.
    """
    ask_damage_pct: float = 0.5
    ask_incident_s: float = 2.5
    """From when on people are asked: laps slower by this since a contact; lost in one part, times the root of the
    lap in minutes.
    """
    chase_days: float = 2.0
    """How long before a start somebody without laps is pointed out."""
    pass_laps: int = 6
    pass_long_laps: int = 10
    pass_long_share: float = 0.8
    pass_first_laps: int = 3
    """A run's pass mark: so many laps without a fault; of a long run so many clean ones, this share of them alike;
    of qualifying the first laps.
    """
    brake_on_pct: float = 5.0
    throttle_on_pct: float = 5.0
    throttle_full_pct: float = 98.0
    lift_pct: float = 10.0
    steering_on_deg: float = 8.0
    yaw_on_dps: float = 3.0
    limiter_share: float = 0.99
    """From when on a pedal is pressed, the throttle full, a fall of it a lift, the wheel turned, the car turning,
    the engine at its limit.
    """
    corner_radius_m: float = 300.0
    corner_ends_radius_m: float = 700.0
    corner_turns_deg: float = 8.0
    """Deriving a layout: a corner bends tighter than the first somewhere, goes on while it is tighter than the
    second, and turns by so much.
    """

    @classmethod
    def from_mapping(cls, values: Mapping[str, Any]) -> "Settings":
        """Take the defaults and change what `values` names.

        Raises:
            BadValue: an unknown name, or a value of the wrong kind or below zero.
        """
        return replace(cls(), **checked(cls(), values))
