"""A layout from traces: its length, its centreline, its corners and its pit lane.

The road's shape comes from the places driven (x, y), less the offset where that is recorded, as the median over the
laps; or, where no place is
recorded, from speed and yaw rate, integrated and closed. Corners are stretches whose curvature rises beyond one
threshold, from where to
where it stays above a lower one (hysteresis); two peaks with a deep valley between them are two corners.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

import numpy as np
from scipy.ndimage import gaussian_filter1d

from fleet_rival.core.settings import Settings
from fleet_rival.core.telemetry.soundness import examine
from fleet_rival.core.telemetry.trace import Samples, Trace
from fleet_rival.core.track import Corner, Pit, Sector, Track

__all__ = ["CantFind", "Found", "find_track"]

_GRID_M: Final = 1.0
_SMOOTH_M: Final = 6.0
_KEPT_STEP_M: Final = 5.0
_VALLEY: Final = 0.55
"""Between two corners of one direction the curvature falls below this share of the lesser peak."""
_WIDER: Final = 2.0
"""A line driven swings out and cuts in: where offsets are unknown, bends must be this much clearer to be the road's."""
_PLATEAU: Final = 0.75
"""An apex is the middle of where the curvature is above this share of its peak: arcs of a constant radius have no
sharper one.
"""
_AWAY_M: Final = 5.0
"""How far beside the laps driven at speed a pit lane lies at least."""
_PIT_RUNS_M: Final = 25.0
_BRAKES_PCT: Final = 5.0
_OTHER_LENGTH: Final = 0.02
"""Laps whose length differs by more than this share from the median aren't whole."""


class CantFind(ValueError):
    """No layout can be had from these traces; the message says why."""


@dataclass(frozen=True, slots=True)
class Found:
    """A layout and what it was made from.

    Attributes:
        track: its corners are named T1, T2 … in the order of driving.
        curvature: shape (metres,), 1/m at each metre, positive to the left.
        used: positions of the traces that it was made from.
        left_out: position and reason of the others: `short`, `no_place`, `pit` (out and in laps, used for the pit lane
            alone).
        by: `places` or `yaw_rate`.
    """

    track: Track
    curvature: Samples
    used: tuple[int, ...]
    left_out: tuple[tuple[int, str], ...]
    by: str


@dataclass(frozen=True, slots=True)
class _Line:
    """One lap's places on an even grid."""

    index: int
    length_m: float
    distance_m: Samples
    channels: dict[str, Samples]


def find_track(
    traces: Sequence[Trace],
    kinds: Sequence[str],
    name: str,
    layout: str,
    kind: str,
    length_m: float | None = None,
    settings: Settings | None = None,
) -> Found:
    """Derive a layout.

    Args:
        traces: laps of any drivers.
        kinds: `flying`, `out`, `in` or `outin` for each; the shape comes from flying laps, the pit lane from the
            others.
        length_m: where it is known; else it is measured.

    Raises:
        CantFind: no whole flying lap, or neither places nor yaw rates in any.
    """
    settings = settings or Settings()
    lines, left_out = _lines(traces, kinds, length_m)
    length = length_m or float(np.median([line.length_m for line in lines]))
    left_out += [(line.index, "short") for line in lines if abs(line.length_m - length) > _OTHER_LENGTH * length]
    lines = [line for line in lines if abs(line.length_m - length) <= _OTHER_LENGTH * length]
    count = round(length / _GRID_M)
    grid = np.arange(count) * length / count
    placed = [line for line in lines if {"x_m", "y_m"} <= line.channels.keys()]
    by = "places" if placed else "yaw_rate"
    if placed:
        left_out += [(line.index, "no_place") for line in lines if line not in placed]
        xy = _middle(placed, grid, length)
        curvature = _bend(xy, length)
    else:
        curvature = _by_yaw(lines, grid, length)
        xy = _walked(curvature, length)
    used = placed or lines
    clearer = 1.0 if all("offset_m" in line.channels for line in used) else _WIDER
    smooth = gaussian_filter1d(curvature, clearer * _SMOOTH_M / _GRID_M, mode="wrap")
    corners = _corners(smooth, used, length, settings, clearer)
    pit = _pit(traces, kinds, xy, length) if placed else None
    step = max(1, round(_KEPT_STEP_M / _GRID_M))
    points = xy[::step]
    track = Track(
        name=name,
        layout=layout,
        kind=kind,
        length_m=round(length, 1),
        sectors=_sectors(corners, length),
        corners=corners,
        centreline_step_m=round(length / len(points), 4),
        centreline_xy_m=tuple((round(float(x), 2), round(float(y), 2)) for x, y in points),
        pit=pit,
    )
    return Found(track, smooth, tuple(line.index for line in used), tuple(sorted(left_out)), by)


def _lines(
    traces: Sequence[Trace], kinds: Sequence[str], length_m: float | None
) -> tuple[list[_Line], list[tuple[int, str]]]:
    lines, left_out = [], []
    for index, (trace, kind) in enumerate(zip(traces, kinds, strict=True)):
        if kind != "flying":
            left_out.append((index, "pit"))
            continue
        line = _line(index, trace, length_m)
        if line is None:
            left_out.append((index, "short"))
        elif not ({"x_m", "y_m"} <= line.channels.keys() or "yaw_rate_dps" in line.channels):
            left_out.append((index, "no_place"))
        else:
            lines.append(line)
    if not lines:
        reasons = {reason for _, reason in left_out}
        raise CantFind(
            "None of these laps records places (x, y) or yaw rates."
            if "no_place" in reasons
            else "None of these laps is a whole flying lap."
        )
    return lines, left_out


def _line(index: int, trace: Trace, length_m: float | None) -> _Line | None:
    """A lap whose samples can be used from the line to the line; None where they can't."""
    sound = examine(trace, length_m or float(np.nanmax(trace.channels["distance_m"], initial=1.0)))
    keep = sound.keep
    if len(keep) < 40 or any(not item.channels for item in sound.stretches):
        return None
    channels = {
        name: trace.channels[name][keep]
        for name in ("x_m", "y_m", "offset_m", "yaw_rate_dps", "speed_kmh", "brake_pct")
        if name in trace.channels and np.isfinite(trace.channels[name][keep]).all()
    }
    if "speed_kmh" not in channels:
        return None
    distance, speed = trace.channels["distance_m"][keep], channels["speed_kmh"] / 3.6
    rest = speed[-1] * sound.step_s / 2
    if {"x_m", "y_m"} <= channels.keys():
        # From the last place on to the first: as far as it lies ahead.
        away = np.array([channels["x_m"][0] - channels["x_m"][-1], channels["y_m"][0] - channels["y_m"][-1]])
        ahead = np.array([channels["x_m"][-1] - channels["x_m"][-4], channels["y_m"][-1] - channels["y_m"][-4]])
        gap = float(away @ ahead / max(float(np.hypot(*ahead)), 1e-9)) + float(distance[0])
        if not -1.0 <= gap <= max(3 * speed[-1] * sound.step_s, 2.0):
            return None
        rest = max(gap, 0.0)
    return _Line(index, float(distance[-1] + rest), distance, channels)


def _middle(lines: Sequence[_Line], grid: Samples, length: float) -> Samples:
    """The median line on the grid, less the offset where it is known. Shape (metres, 2)."""
    found = []
    for line in lines:
        share = length / line.length_m
        xy = np.stack(
            [_around(line.channels[name], line.distance_m * share, grid, length) for name in ("x_m", "y_m")], axis=1
        )
        if "offset_m" in line.channels:
            heading = _heading(np.stack([gaussian_filter1d(xy[:, axis], 2.0, mode="wrap") for axis in (0, 1)], axis=1))
            offset = _around(line.channels["offset_m"], line.distance_m * share, grid, length)
            xy = xy - offset[:, None] * np.stack([np.sin(heading), -np.cos(heading)], axis=1)
        found.append(xy)
    return np.asarray(np.median(np.stack(found), axis=0))


def _around(values: Samples, distance: Samples, grid: Samples, length: float) -> Samples:
    """Values on the grid, going on over the line."""
    around = np.concatenate([[distance[-1] - length], distance, [distance[0] + length]])
    return np.asarray(np.interp(grid, around, np.concatenate([values[-1:], values, values[:1]])))


def _heading(xy: Samples) -> Samples:
    around = (np.roll(xy, -1, axis=0) - np.roll(xy, 1, axis=0)).T
    return np.unwrap(np.arctan2(around[1], around[0]))


def _bend(xy: Samples, length: float) -> Samples:
    """Curvature of a closed line by its smoothed derivatives."""
    step = length / len(xy)
    x, y = (gaussian_filter1d(xy[:, axis], 4.0 / _GRID_M, mode="wrap") for axis in (0, 1))

    def along(values: Samples) -> Samples:
        return (np.roll(values, -1) - np.roll(values, 1)) / (2 * step)

    dx, dy = along(x), along(y)
    return np.asarray((dx * along(dy) - dy * along(dx)) / np.maximum(np.hypot(dx, dy), 1e-9) ** 3)


def _by_yaw(lines: Sequence[_Line], grid: Samples, length: float) -> Samples:
    found = []
    for line in lines:
        speed = np.maximum(line.channels["speed_kmh"] / 3.6, 3.0)
        bend = np.radians(line.channels["yaw_rate_dps"]) / speed
        found.append(_around(bend, line.distance_m * length / line.length_m, grid, length))
    median = np.median(np.stack(found), axis=0)
    turned = float(median.sum()) * length / len(grid)
    # Once round is a full circle: what a yaw sensor drifts by is spread over the lap.
    return np.asarray(median - (turned - round(turned / (2 * np.pi)) * 2 * np.pi) / length)


def _walked(curvature: Samples, length: float) -> Samples:
    """The line that a curvature draws, closed."""
    step = length / len(curvature)
    heading = np.concatenate([[0.0], np.cumsum(curvature * step)])[:-1]
    xy = np.cumsum(np.stack([np.cos(heading), np.sin(heading)], axis=1) * step, axis=0)
    xy -= np.outer(np.arange(1, len(xy) + 1) / len(xy), xy[-1])
    return np.asarray(xy)


def _corners(
    curvature: Samples, lines: Sequence[_Line], length: float, settings: Settings, clearer: float
) -> tuple[Corner, ...]:
    count = len(curvature)
    step = length / count
    # Cut where the road is straightest, so that no corner is cut in two.
    calm = int(gaussian_filter1d(np.abs(curvature), 20.0, mode="wrap").argmin())
    bends = np.roll(curvature, -calm)
    least = np.radians(settings.corner_turns_deg) * clearer
    arcs = [arc for arc in _arcs(bends, settings, _VALLEY / clearer) if abs(bends[slice(*arc)].sum() * step) >= least]
    places = []
    for first, after in arcs:
        peak = first + int(np.abs(bends[first:after]).argmax())
        high = _PLATEAU * abs(bends[peak])
        low_end, high_end = peak, peak
        while low_end > first and abs(bends[low_end - 1]) >= high:
            low_end -= 1
        while high_end < after - 1 and abs(bends[high_end + 1]) >= high:
            high_end += 1
        apex = (low_end + high_end) / 2
        begins, middle, ends = ((place + calm) % count * step for place in (first, apex, after))
        places.append((begins, middle, ends, bool(bends[peak] > 0)))
    places.sort()
    corners: list[Corner] = []
    for number, (begins, middle, ends, left) in enumerate(places):
        before = places[number - 1][2] if number else places[-1][2] if places[-1][2] < begins else 0.0
        brakes, apex, end = (
            round(float(value), 1) for value in (_braking(lines, length, before, begins, middle), middle, ends)
        )
        if not corners or brakes > corners[-1].start_m:
            corners.append(Corner(f"T{len(corners) + 1}", brakes, apex, end, None, "left" if left else "right"))
    return tuple(corners)


def _arcs(bends: Samples, settings: Settings, deep: float) -> Iterator[tuple[int, int]]:
    """First and behind the last metre of each corner: where the curvature passes the upper threshold, as far as it
    stays above the lower one.
    """
    for sign in (1, -1):
        signed = sign * bends
        above = np.concatenate([[False], signed > 1 / settings.corner_ends_radius_m, [False]])
        edges = np.flatnonzero(np.diff(above.astype(np.int8)))
        for first, after in zip(edges[::2], edges[1::2], strict=True):
            if signed[first:after].max() > 1 / settings.corner_radius_m:
                yield from _at_valleys(signed, int(first), int(after), settings, deep)


def _at_valleys(signed: Samples, first: int, after: int, settings: Settings, deep: float) -> Iterator[tuple[int, int]]:
    inner = signed[first:after]
    peaks = [
        place
        for place in range(1, len(inner) - 1)
        if inner[place] >= inner[place - 1]
        and inner[place] > inner[place + 1]
        and inner[place] > 1 / settings.corner_radius_m
    ]
    for one, other in pairwise(peaks):
        valley = one + int(inner[one:other].argmin())
        left, right = inner[: valley + 1].max(), inner[valley:].max()
        if inner[valley] < deep * min(left, right):
            yield from _at_valleys(signed, first, first + valley, settings, deep)
            yield from _at_valleys(signed, first + valley, after, settings, deep)
            return
    yield first, after


def _braking(lines: Sequence[_Line], length: float, before: float, begins: float, apex: float) -> float:
    """Where braking for a corner begins, as the median of the laps; where nobody brakes, where it begins to bend."""
    found = []
    for line in lines:
        where = line.distance_m * length / line.length_m
        ahead = np.flatnonzero((where > before) & (where < apex))
        if len(ahead) < 3:
            continue
        if "brake_pct" in line.channels:
            pressed = line.channels["brake_pct"][ahead] > _BRAKES_PCT
            if pressed.any():
                # Of several times the last one that reaches the corner.
                off = np.flatnonzero(~pressed[: int(np.flatnonzero(pressed)[-1])])
                found.append(float(where[ahead[off[-1] + 1 if len(off) else 0]]))
        else:
            speed = line.channels["speed_kmh"][ahead]
            fastest = int(speed.argmax())
            if speed[fastest] - speed[-1] > 4:
                found.append(float(where[ahead[fastest]]))
    if len(found) * 2 < len(lines) or not found:
        return begins
    return min(float(np.median(found)), begins)


def _sectors(corners: Sequence[Corner], length: float) -> tuple[Sector, ...]:
    """Three, begun at the corners next to a third and two thirds of the lap."""
    starts = [0.0]
    for share in (1 / 3, 2 / 3):
        nearest = min(
            (corner.start_m for corner in corners),
            key=lambda start: abs(start - share * length),
            default=share * length,
        )
        if nearest > starts[-1]:
            starts.append(nearest)
    return tuple(Sector(f"S{number}", round(start, 1)) for number, start in enumerate(starts, 1))


def _pit(traces: Sequence[Trace], kinds: Sequence[str], xy: Samples, length: float) -> Pit | None:
    """The pit lane: where in laps leave the road for good, and where out laps come back to it."""
    entries, exits, sides, limits = [], [], [], []
    heading = _heading(xy)
    for trace, kind in zip(traces, kinds, strict=True):
        if kind == "flying" or not {"x_m", "y_m"} <= trace.channels.keys():
            continue
        distance = trace.channels["distance_m"]
        good = np.isfinite(distance) & np.isfinite(trace.channels["x_m"]) & np.isfinite(trace.channels["y_m"])
        place = np.clip(np.round(distance[good] / length * len(xy)).astype(int), 0, len(xy) - 1)
        away_x, away_y = trace.channels["x_m"][good] - xy[place, 0], trace.channels["y_m"][good] - xy[place, 1]
        aside = away_x * np.sin(heading[place]) - away_y * np.cos(heading[place])
        off = np.abs(aside) > _AWAY_M
        where, speed = distance[good], trace.channels["speed_kmh"][good]
        if kind in ("in", "outin") and off[-1]:
            last_on = np.flatnonzero(~off)
            first = int(last_on[-1]) + 1 if len(last_on) else 0
            if where[-1] - where[first] > _PIT_RUNS_M:
                entries.append(float(where[first]))
                sides.append(float(np.sign(np.median(aside[first:]))))
                limits.append(float(np.median(speed[first:])))
        if kind in ("out", "outin") and off[0]:
            first_on = np.flatnonzero(~off)
            last = int(first_on[0]) - 1 if len(first_on) else len(off) - 1
            if where[last] - where[0] > _PIT_RUNS_M:
                exits.append(float(where[last]))
                sides.append(float(np.sign(np.median(aside[: last + 1]))))
                limits.append(float(np.median(speed[: last + 1])))
    if not entries or not exits:
        return None
    side = "right" if sum(sides) > 0 else "left"
    return Pit(
        round(float(np.median(entries)), 1), round(float(np.median(exits)), 1), side, round(float(np.median(limits)))
    )
