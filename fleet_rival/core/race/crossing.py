"""Wet or dry: the lap time at which the other tyre is the faster one, with what changing costs."""

from dataclasses import dataclass

__all__ = ["Crossing", "crossing_time"]


@dataclass(frozen=True, slots=True)
class Crossing:
    """When to change.

    Attributes:
        even_us: lap time on the present tyre at which both are as fast.
        change_us: from which changing pays, over the laps that are left.
    """

    even_us: float
    change_us: float


def crossing_time(
    wet_in_wet_us: float,
    dry_in_dry_us: float,
    dry_in_wet_us: float,
    wet_in_dry_us: float,
    pit_us: float,
    laps_left: int,
    *,
    drying: bool,
) -> Crossing | None:
    """The lap time at which the tyres cross while a track dries or gets wet; None where one tyre is always faster.

    Between dry and wet both tyres' times are taken to go in a straight line, so that the time on the one says the
    track's state, and that the other's time.

    Args:
        drying: on wet tyres, waiting for the dry ones; else the other way round.
        laps_left: over which what a stop costs has to be won back.

    Raises:
        ValueError: no lap is left.
    """
    if laps_left < 1:
        raise ValueError("with no lap left nothing pays")
    # State 0: dry; 1: wet. On tyre a now, b is the other one.
    a_dry, a_wet = (wet_in_dry_us, wet_in_wet_us) if drying else (dry_in_dry_us, dry_in_wet_us)
    b_dry, b_wet = (dry_in_dry_us, dry_in_wet_us) if drying else (wet_in_dry_us, wet_in_wet_us)
    closing = (b_wet - b_dry) - (a_wet - a_dry)
    if closing == 0:
        return None

    def state_where(ahead_us: float) -> float:
        """The track's state where the present tyre is slower by so much."""
        return (a_dry - b_dry - ahead_us) / closing

    even, change = state_where(0.0), state_where(pit_us / laps_left)
    if not 0 <= even <= 1:
        return None
    # Beyond the ends of the line nothing was seen: what a stop costs is never won back there.
    bounded = min(max(change, 0.0), 1.0)
    return Crossing(a_dry + even * (a_wet - a_dry), a_dry + bounded * (a_wet - a_dry))
