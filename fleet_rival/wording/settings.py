"""What the thresholds of the calculations are called, where a manager sets them: for one combination, for all plans."""

from typing import Final

from fleet_rival.core.units import unit_name

__all__ = ["PLANNING", "THRESHOLDS"]

THRESHOLDS: Final = {
    "spoiled_deviations": "A lap is spoiled beyond so many robust deviations from its run",
    "spoiled_floor_s": "and never for less than so many seconds, times the root of the lap in minutes",
    "cool_lap_pct": "A lap is driven slowly on purpose from so many per cent of the median",
    "cool_part_pct": "with each part slower than so many per cent of its own median",
    "tow_deviations": "By traces a lap had a tow beyond so many robust deviations of the speed gained alone",
    "tow_kmh": f"and from so many {unit_name('speed')} more on",
    "tow_entry_kmh": f"where the entry speed is no more than so many {unit_name('speed')} beyond what is usual alone",
    "incident_takes": "Segments after an incident that it takes too",
    "strike_takes": "Segments after a track-limit strike that it takes too",
    "temperature_spread_c": (
        f"Track temperatures further apart than so many {unit_name('temperature')} in one group are warned of"
    ),
    "join_tolerance_kmh": f"Two laps join where the second comes no more than so many {unit_name('speed')} faster",
    "join_offset_m": "and no more than so many metres apart across the road",
    "min_clean_laps": "Clean laps from which consistency and a run's trend are told",
    "thin_below_laps": "Clean laps below which a figure is thin",
    "firm_from_laps": "Clean laps from which it is firm",
    "within_pct": "Laps count as close to the median within so many per cent",
    "streak_pct": "and as a streak within so many",
    "like_laps": "Laps of one place behind the pits from which it has figures of its own",
    "reference_passes": "Passes from which a segment's reference is more than a candidate",
    "seconds_per_litre": (
        f"Seconds that so much fuel on board as 1 {unit_name('volume')} costs a lap, where it is known"
    ),
    "cliff_bic": "How much better two pieces of pace must be than one for a cliff, in BIC",
    "par_moves_pct": "A session has par for each minute where its pace moves by more than so many per cent",
    "equal_pct": "Options that differ by less than so many per cent of the lap are equal",
    "option_switches": "Switches between two options from which there is a verdict",
    "tread_threshold_pct": "Per cent of tread at which a tyre is through",
}
"""Setting to what it does; the defaults stand in the core."""
PLANNING: Final = {
    "seat_limit_minutes": "Minutes at the seat without a break, for who has no limit of their own",
    "break_minutes": "Minutes of the break after it",
    "day_limit_minutes": "Minutes at the seat in a day",
    "quiet_from_hour": "Nobody is asked to practise from",
    "quiet_to_hour": "until",
    "evening_from_hour": "An evening that somebody could make free begins at",
    "evening_to_hour": "and ends at",
    "want_pct": "What a gain counts for a race that is wanted, in per cent of a must",
    "if_ready_pct": "and for one that is driven if ready",
    "least_gain_s": "Seconds a lap that a block brings at least to be worth an evening",
    "learning_pct": "Per cent of what the learning curve still promises that one block brings",
    "reached_pct": "Per cent that pace is still worth once the target is reached",
    "walked_laps": "Laps from which nobody needs to walk the track",
    "unknown_lap_s": "Seconds of a lap where nobody has driven and no target is set",
    "slow_lap_pct": "An out lap or an in lap, in per cent of a lap at pace",
    "walked_lap_pct": "A lap on which the track is learned, in per cent of a lap at pace",
    "fades_pct": "Per cent of its gain that a block loses for each day before its last possible one",
    "fades_days": "and for so many days at most",
    "stays_pct": "Per cent more gain for which a block is moved away from where the last plan had it",
    "early_hours": "A run drives a planned block from so many hours before it",
    "late_hours": "until so many hours after it",
    "around_minutes": "and a run of which nobody said what it is, from so many minutes before it",
    "driven_pct": "Per cent of a block's laps from which it is done",
    "qualifying_pct": "Per cent that qualifying counts of a driver's gap to the target in a lineup, the race the rest",
    "usual_points": "Points that a start at the target brings, as long as no results tell",
    "usual_points_lost": "and points that each per cent of gap costs",
    "prior_weeks": "Weeks with results that weigh as much as that",
    "elsewhere_pct": "Per cent that a driver is farther from the target where they never drove than elsewhere",
    "unknown_pct": "and the gap in per cent of whom no lap tells anything",
}
"""Setting of planning to what it does; the defaults stand in the core."""
