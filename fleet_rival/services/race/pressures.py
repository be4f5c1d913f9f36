"""Cold pressures for wanted hot ones, wheel by wheel."""

from collections.abc import Mapping
from typing import Any

from fleet_rival.core.race.pressures import BadPressure, Measured, cold_setting, rounded_to
from fleet_rival.services.shared.errors import Refused

__all__ = ["settings_for"]


def settings_for(
    cold_kpa: Mapping[str, float],
    hot_kpa: Mapping[str, float],
    wanted_kpa: Mapping[str, float],
    cold_c: float | None = None,
    track_c: float | None = None,
    now_cold_c: float | None = None,
    now_track_c: float | None = None,
    step_kpa: float = 1.0,
) -> dict[str, Any]:
    """What to set each wheel to.

    Args:
        cold_kpa, hot_kpa, wanted_kpa: by wheel, gauge.
        cold_c, track_c: when they were set, and of the track when they were measured.
        now_cold_c, now_track_c: of the race.

    Raises:
        Refused: wheels that don't belong together, or pressures that can't be.
    """
    if not wanted_kpa or not (cold_kpa.keys() == hot_kpa.keys() == wanted_kpa.keys()):
        raise Refused("Say cold, hot and wanted pressures of the same wheels.")
    exactly = {}
    for wheel in wanted_kpa:
        measured = Measured(cold_kpa[wheel], hot_kpa[wheel], cold_c, track_c)
        try:
            exactly[wheel] = cold_setting(measured, wanted_kpa[wheel], now_cold_c, now_track_c)
        except BadPressure as error:
            raise Refused(f"{wheel}: {error}") from error
    return {
        "cold_kpa": {wheel: rounded_to(value, step_kpa) for wheel, value in exactly.items()},
        "exactly_kpa": exactly,
    }
