"""A small track and an evening on it: what the examples in this package are shown on."""

from typing import Final

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.track import Corner, Sector, Track

__all__ = ["LAPS", "TRACK", "lap"]

_DRIVER: Final = "Ysolde Farrand"
_SEGMENTS: Final = {"L0": 10.0, "T1": 15.0, "T2": 18.0, "T3": 17.0}
"""Of a good lap, in seconds."""

TRACK: Final = Track(
    name="Quernholm",
    layout="Short",
    kind="street",
    length_m=1000.0,
    sectors=(Sector("S1", 0.0), Sector("S2", 400.0), Sector("S3", 700.0)),
    corners=(Corner("T1", 150.0, 180.0, 220.0), Corner("T2", 400.0, 430.0, 480.0), Corner("T3", 700.0, 730.0, 760.0)),
)


def lap(number: int, late_s: float = 0.0, corner: str = "T2", **facts: object) -> Lap:
    """A lap of a minute, a little of it other each time.

    >>> lap(3).time_us, lap(3, late_s=0.5).segments["T2"] - lap(3).segments["T2"]
    (60020000, 500000)

    Args:
        number: of the lap in its run.
        late_s: lost at a corner.
        facts: whatever else there is to it.
    """
    segments = {
        code: round(1e6 * (seconds + 0.01 * ((number * (place + 1)) % 5 - 2) + (late_s if code == corner else 0.0)))
        for place, (code, seconds) in enumerate(_SEGMENTS.items())
    }
    sectors = {"S1": segments["L0"] + segments["T1"], "S2": segments["T2"], "S3": segments["T3"]}
    values = {"driver": _DRIVER, "number": number, "run": 1, "time_us": sum(segments.values())}
    return Lap(**{**values, "sectors": sectors, "segments": segments, **facts})  # type: ignore[arg-type]


LAPS: Final = (
    lap(1, kind="out"),
    *(lap(number, late_s=0.6 if number in (6, 11) else 0.0) for number in range(2, 15)),
)
"""A run with an out lap, a lap on cold tyres, and twelve more, on two of which time is lost at T2."""
