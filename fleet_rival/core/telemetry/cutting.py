"""Times, speeds and offsets at the boundaries of a lap, from its trace.

A boundary lies between two samples. The moment is found by a cubic through the samples around it (least squares where
more than four lie near),
after the clock's own rounding has been taken out: what remains is well under a millisecond at 60 Hz.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Final

import numpy as np

from fleet_rival.core.laps.lap import LINE_END, Crossing, Pull
from fleet_rival.core.telemetry.pulls import pulls_of
from fleet_rival.core.telemetry.soundness import Stretch, examine
from fleet_rival.core.telemetry.trace import Samples, Trace, even_times
from fleet_rival.core.track import Part, Track

__all__ = ["CutLap", "cut"]

_AROUND_S = 0.1
"""Samples this near to a boundary take part in finding its moment."""
_OWN_ZERO_S = 0.5
"""A clock that is this near to zero at the line was meant to begin there."""
_LEAST, _MOST = 2, 12
"""Of samples on either side."""
_OUTER: Final = 3
"""Samples that tell how it goes on beyond the last one."""


@dataclass(frozen=True, slots=True)
class CutLap:
    """What a trace says of a lap.

    Attributes:
        time_us: by the trace; None where it doesn't hold the whole lap.
        sectors, segments: times in microseconds of the parts whose ends are known.
        crossings: speed and offset at each boundary that is known, by the code of the part that begins there.
        stretches: what can't be used.
        rate_hz: samples a second.
        last_parts: codes of the parts that end at the line.
        begins_kmh: speed over the line at the start; None where it isn't known.
        pulls: by segment the longest stretch at full throttle.
    """

    time_us: int | None
    sectors: Mapping[str, int]
    segments: Mapping[str, int]
    crossings: Mapping[str, Crossing]
    stretches: tuple[Stretch, ...]
    rate_hz: float
    last_parts: tuple[str, ...] = ()
    begins_kmh: float | None = None
    pulls: Mapping[str, Pull] = field(default_factory=dict)

    @property
    def ends_kmh(self) -> float | None:
        """Speed over the line at the end; None where it isn't known."""
        return self.crossings[LINE_END].speed_kmh if LINE_END in self.crossings else None

    def ending_at(self, lap_time_us: int) -> "CutLap":
        """The same with a lap time that is known from elsewhere: the last parts end with it."""
        if self.time_us is None:
            return self
        more = lap_time_us - self.time_us

        def moved(parts: Mapping[str, int]) -> dict[str, int]:
            return {code: time + more if code in self.last_parts else time for code, time in parts.items()}

        return replace(self, time_us=lap_time_us, sectors=moved(self.sectors), segments=moved(self.segments))


def cut(track: Track, trace: Trace) -> CutLap:
    """Cut a lap at the line and at its boundaries."""
    sound = examine(trace, track.length_m)
    keep, stretches = sound.keep, sound.stretches
    rate = 1 / sound.step_s if sound.step_s > 0 else 0.0
    if len(keep) < 4:
        return CutLap(None, {}, {}, {}, stretches, rate)
    distance = trace.channels["distance_m"][keep]
    unknown = [item for item in stretches if not item.channels]
    # What lies on either side of a hole doesn't tell of the other side.
    piece = np.searchsorted(np.sort([item.end_m for item in unknown]), distance, side="right")
    time = _beats(trace.channels["time_s"][keep], piece)
    offset = trace.channels.get("offset_m")
    others = [trace.channels["speed_kmh"][keep], offset[keep] if offset is not None else np.full(len(keep), np.nan)]
    bounds = np.unique([0.0, track.length_m, *(part.start_m for part in (*track.sector_parts, *track.segment_parts))])
    moments = _moments(bounds, distance, time, piece, unknown, sound.step_s)
    begin = moments[0.0]
    # The lap begins at its own zero, whichever sample came first; unless its recorder counted it late, or its clock is
    # another.
    if begin is not None and distance[0] >= 0 and time[0] >= 0 and abs(begin) < _OWN_ZERO_S:
        begin = moments[0.0] = 0.0
    end = moments[track.length_m]
    lap_time = round(end * 1e6) - round(begin * 1e6) if end is not None and begin is not None else None
    broken = [item for item in unknown if not item.time_holds and item.reason != "ends_early"]

    def times(parts: Sequence[Part]) -> dict[str, int]:
        known = {}
        for part in parts:
            first, last = moments[part.start_m], moments[part.end_m]
            if (
                first is not None
                and last is not None
                and last > first
                and not any(_overlap(item, part) for item in broken)
            ):
                known[part.code] = round(last * 1e6) - round(first * 1e6)
        return known

    crossings = {}
    speeds, offsets = (_at(bounds, distance, values) for values in others)
    codes: dict[float, list[str]] = {float(bound): [] for bound in bounds}
    for part in (*track.sector_parts, *track.segment_parts):
        codes[part.start_m].append(part.code)
    codes[track.length_m].append(LINE_END)
    for index, bound in enumerate(bounds):
        if moments[float(bound)] is not None and np.isfinite(speeds[index]):
            place = None if not np.isfinite(offsets[index]) else round(float(offsets[index]), 3)
            for code in codes[float(bound)]:
                crossings[code] = Crossing(round(float(speeds[index]), 3), place)
    if broken:
        lap_time = None
    ends = tuple(part.code for part in (*track.sector_parts, *track.segment_parts) if part.end_m == track.length_m)
    begins_kmh = float(speeds[0]) if begin is not None and np.isfinite(speeds[0]) else None
    return CutLap(
        lap_time,
        times(track.sector_parts),
        times(track.segment_parts),
        crossings,
        stretches,
        rate,
        ends,
        begins_kmh,
        pulls_of(track, trace, sound),
    )


def _overlap(stretch: Stretch, part: Part) -> bool:
    if stretch.end_m <= stretch.start_m:
        return part.start_m <= stretch.start_m < part.end_m
    return stretch.start_m < part.end_m and part.start_m < stretch.end_m


def _beats(time: Samples, piece: np.ndarray) -> Samples:
    edges = np.flatnonzero(np.diff(piece)) + 1
    return np.concatenate([even_times(part) for part in np.split(time, edges)]) if len(edges) else even_times(time)


def _moments(
    places: Samples, distance: Samples, time: Samples, piece: np.ndarray, unknown: Sequence[Stretch], step: float
) -> dict[float, float | None]:
    """When the car was at each place, in seconds on the trace's clock; None where the trace doesn't say."""
    count = len(distance)
    # A window in time: at 10 Hz two samples on either side, at 1,000 Hz no more than twelve.
    side = int(np.clip(round(_AROUND_S / step) if step > 0 else _LEAST, _LEAST, _MOST))
    at = np.searchsorted(distance, places)
    beside = np.arange(-max(side, _OUTER), max(side, _OUTER))
    window = at[:, None] + beside
    # Beyond the last sample a parabola through the nearest, since a cubic runs away there.
    outer = (at == 0) | (at == count)
    near = np.where(outer[:, None], np.abs(beside + 0.5) < _OUTER, np.abs(beside + 0.5) < side)
    inside = (window >= 0) & (window < count) & near
    window = np.clip(window, 0, count - 1)
    inside &= piece[window] == piece[np.clip(at, 0, count - 1)][:, None]
    degree = np.minimum(np.where(outer, np.where(at == 0, 1, 2), 3), inside.sum(axis=1) - 1)
    found = _fitted(places, distance[window], time[window], inside, degree)
    known: dict[float, float | None] = {}
    for place, moment in zip(places, found, strict=True):
        hidden = any(
            item.start_m < place < item.end_m
            or (item.reason == "begins_late" and place <= item.start_m)
            or (item.reason == "ends_early" and place >= item.end_m)
            for item in unknown
        )
        known[float(place)] = None if hidden else float(moment)
    return known


def _fitted(places: Samples, distance: Samples, time: Samples, inside: np.ndarray, degree: np.ndarray) -> Samples:
    """Least squares of time over distance, at each place from its own window.

    Args:
        distance, time: shape (places, samples).
        inside: which of them take part.
        degree: of the polynomial, up to 3, for each place.
    """
    around = np.where(inside, distance - places[:, None], 0.0)
    # Scaled, so that the powers stay near one.
    reach = np.maximum(np.abs(around).max(axis=1, keepdims=True), 1e-9)
    middle = time[:, :1]
    powers = (around / reach)[..., None] ** np.arange(4)
    powers = np.where(inside[..., None] & (np.arange(4) <= degree[:, None])[:, None, :], powers, 0.0)
    normal = np.einsum("psi,psj->pij", powers, powers)
    # Powers that take no part must not make the matrix singular.
    normal[:, np.arange(4), np.arange(4)] += np.where(np.arange(4) <= degree[:, None], 1e-12, 1.0)
    wanted = np.einsum("psi,ps->pi", powers, time - middle)
    return np.linalg.solve(normal, wanted[..., None])[:, 0, 0] + middle[:, 0]


def _at(bounds: Samples, distance: Samples, values: Samples) -> Samples:
    good = np.isfinite(values)
    if not good.any():
        return np.full(len(bounds), np.nan)
    found = np.interp(bounds, distance[good], values[good])
    # Not from samples far away: a hole in this channel is a hole.
    nearest = np.clip(np.searchsorted(distance, bounds), 0, len(distance) - 1)
    found[~good[nearest] & ~good[np.maximum(nearest - 1, 0)]] = np.nan
    return np.asarray(found)
