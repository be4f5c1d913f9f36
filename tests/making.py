"""Small tracks and laps for tests."""

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.track import Corner, Part, Sector, Track

SECOND = 1_000_000


def track(corners: int = 4, linked: tuple[int, ...] = (), sectors: int = 3, first_corner_m: float = 50.0) -> Track:
    """A lap of 1,000 m with corners evenly spaced and sectors that start at boundaries of segments."""
    step = (1000 - first_corner_m) / corners if corners else 0
    starts = [first_corner_m + step * index for index in range(corners)]
    bounds = [0.0, *starts[1:]] if corners else [0.0, 300.0, 600.0]
    return Track(
        name="Quernholm",
        layout="Short",
        kind="street",
        length_m=1000.0,
        sectors=tuple(Sector(f"S{index + 1}", bounds[index]) for index in range(sectors)),
        corners=tuple(
            Corner(f"T{index + 1}", start, start + 5, start + 9, linked_to_next=index in linked)
            for index, start in enumerate(starts)
        ),
    )


def lap(number: int, *segments: float, run: int = 1, layout: Track | None = None, **facts: object) -> Lap:
    """A lap from its segment times in seconds, sectors summed from them where the layout is given."""
    layout = layout or track(corners=len(segments) - 1)
    times = {part.code: round(time * SECOND) for part, time in zip(layout.segment_parts, segments, strict=True)}
    sectors = {
        sector.code: sum(times[segment.code] for segment in layout.overlapping(sector, layout.segment_parts))
        for sector in layout.sector_parts
    }
    values: dict[str, object] = {
        "driver": "Ysolde Farrand",
        "number": number,
        "run": run,
        "time_us": sum(times.values()),
    }
    return Lap(**{**values, "sectors": sectors, "segments": times, **facts})  # type: ignore[arg-type]


def whole_lap(number: int, seconds: float, run: int | None = 1, **facts: object) -> Lap:
    """A lap of which the time alone is known."""
    values: dict[str, object] = {
        "driver": "Ysolde Farrand",
        "number": number,
        "run": run,
        "time_us": round(seconds * SECOND),
    }
    return Lap(**{**values, **facts})  # type: ignore[arg-type]


def counts(layout: Track, item: JudgedLap, part: Part) -> bool:
    """The definition, word by word: the lap's parts count, and no segment that overlaps this one is taken."""
    return item.parts_count and not any(
        segment.code in item.taken.segments for segment in layout.overlapping(part, layout.segment_parts)
    )


def is_pass(item: JudgedLap, segment: str) -> bool:
    """The definition, word by word: evidence, timed, not taken by something earlier, not cold."""
    return item.has_passes and segment in item.lap.segments and segment not in item.taken.by_others | item.cold_parts
