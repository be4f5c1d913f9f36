"""What the thresholds of the calculations are called, where a manager sets them for one combination."""

from typing import Final

from fleet_rival.core.units import unit_name

__all__ = ["THRESHOLDS"]

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
