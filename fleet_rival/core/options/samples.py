"""What was driven with either of two options: passes of a corner, or whole laps, with what failed."""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.laps.verdict import failed
from fleet_rival.core.pace.runs import PaceRun
from fleet_rival.core.pace.slope import pooled_slope
from fleet_rival.core.track import Track

__all__ = [
    "FOLLOWED",
    "FURTHER",
    "LEAST_PASSES",
    "WHOLE_LAP",
    "Follow",
    "Sample",
    "detrended_pair",
    "follows_of",
    "label_of",
    "option_pairs",
    "runs_with",
    "samples_of",
    "segment_samples",
    "switches",
    "what_else_changed",
]

WHOLE_LAP = frozenset({"lap", "setup"})
"""Where an option is of the whole lap."""
FOLLOWED: Final = 2
"""Parts behind a corner on which what was tried in it may bear."""
FURTHER: Final = 2.6
"""Standard errors beyond which the second of them counts: always counting it makes more false verdicts than it finds
true ones."""
LEAST_PASSES: Final = 4
"""Passes with either of two options below which nothing is compared."""
_BESIDES = ("setup", "compound", "assists", "tyre_set", "company")


@dataclass(frozen=True, slots=True)
class Follow:
    """A part behind a corner; `next_lap`: beyond the line."""

    code: str
    next_lap: bool


@dataclass(frozen=True, slots=True)
class Sample:
    """One pass, or one lap.

    Attributes:
        position: of the lap among the driver's laps.
        block: run that it was driven in.
        time_us: as driven; of a corner that is linked to the next, both together, and with what follows it that was
            asked for.
        failed: an incident or a strike in it, or a mistake that somebody saw there; of a lap also if it was void or
            spoiled.
    """

    position: int
    block: tuple[str, int | None]
    number: int
    time_us: int
    failed: bool
    age: float | None


def label_of(lap: Lap, where: str) -> str | None:
    """Which option a lap was driven with.

    >>> from fleet_rival.core.example import lap
    >>> label_of(lap(3, options={"T2": "high"}), "T2")
    'high'
    """
    if where == "setup":
        return dict(lap.options).get("setup", lap.setup)
    return dict(lap.options).get(where)


def option_pairs(judged: Sequence[JudgedLap], members: Sequence[int]) -> list[tuple[str, str, str]]:
    """Where two options were tried, and their labels, the more usual first: for every place each pair of its two to
    four most driven labels.
    """
    counts: dict[str, Counter[str]] = {}
    for index in members:
        lap = judged[index].lap
        for where in {place for place, _ in lap.options} | ({"setup"} if lap.setup else set()):
            label = label_of(lap, where)
            if label:
                counts.setdefault(where, Counter())[label] += 1
    pairs = []
    for where in sorted(counts, key=lambda place: (place in WHOLE_LAP, place)):
        labels = [
            label for label, count in sorted(counts[where].items(), key=lambda item: (-item[1], item[0])) if count > 1
        ][:4]
        pairs += [(where, first, second) for at, first in enumerate(labels) for second in labels[at + 1 :]]
    return pairs


def runs_with(runs: Sequence[PaceRun], where: str, label: str) -> list[PaceRun]:
    """Runs with those laps alone that were driven with a label; laps of the run count on over the others."""
    out = []
    for run in runs:
        chosen = [
            (position, lap)
            for position, lap in zip(run.positions, run.laps, strict=True)
            if label_of(lap, where) == label
        ]
        if chosen:
            positions, laps = zip(*chosen, strict=True)
            out.append(replace(run, positions=positions, laps=laps))
    return out


def samples_of(
    track: Track,
    judged: Sequence[JudgedLap],
    members: Sequence[int],
    where: str,
    label: str,
    follows: Sequence[Follow] = (),
) -> list[Sample]:
    """Passes or laps driven with a label, in order.

    Args:
        follows: parts behind a corner that count with it; a pass of which one isn't known is left out.
    """
    out = []
    parts = _parts(track, where)
    if not parts and where not in WHOLE_LAP:
        return []
    for index in members:
        item = judged[index]
        if label_of(item.lap, where) != label or not item.has_passes:
            continue
        if where in WHOLE_LAP:
            if not item.eligible:
                continue
            time = item.lap.time_us
            went_wrong = failed(item)
        else:
            if set(parts) & (item.taken.by_others | item.cold_parts) or not all(
                code in item.lap.segments for code in parts
            ):
                continue
            went_wrong = bool(
                set(parts) & {*item.strikes, *(corner for _, corner in (*item.incidents, *_seen_mistakes(item)))}
            )
            behind = [_behind(judged, item, follow, went_wrong) for follow in follows]
            if None in behind:
                continue
            time = sum(item.lap.segments[code] for code in parts) + sum(some for some in behind if some is not None)
        out.append(
            Sample(index, (item.lap.session, item.lap.run), item.lap.number, time, went_wrong, item.lap.tyre_age)
        )
    return out


def _seen_mistakes(item: JudgedLap) -> list[tuple[str, str]]:
    return [(kind, corner) for corner, kind in item.lap.mistakes]


def _behind(judged: Sequence[JudgedLap], item: JudgedLap, follow: Follow, went_wrong: bool) -> int | None:
    """Time of a part behind a pass. What others did there says nothing of the option; what a failure brought along
    does.
    """
    at = item
    if follow.next_lap:
        if item.next_lap is None or not judged[item.next_lap].flying:
            return None
        at = judged[item.next_lap]
    if follow.code in at.taken.by_others and not went_wrong:
        return None
    return at.lap.segments.get(follow.code)


def follows_of(track: Track, where: str) -> list[Follow]:
    """The two parts behind a corner's option, across the line too; nothing of a whole lap.

    >>> from fleet_rival.core.example import TRACK
    >>> [(follow.code, follow.next_lap) for follow in follows_of(TRACK, "T2")]
    [('T3', False), ('L0', True)]
    """
    parts = _parts(track, where)
    codes = [part.code for part in track.segment_parts]
    if not parts or len(codes) < len(parts) + FOLLOWED:
        return []
    last = codes.index(parts[-1])
    return [Follow(codes[at % len(codes)], at >= len(codes)) for at in range(last + 1, last + 1 + FOLLOWED)]


def segment_samples(judged: Sequence[JudgedLap], samples: Sequence[Sample], code: str) -> list[Sample]:
    """The same laps' times in one segment, those that don't count left out."""
    return [
        Sample(
            item.position, item.block, item.number, judged[item.position].lap.segments[code], failed=False, age=item.age
        )
        for item in samples
        if not item.failed
        and code in judged[item.position].lap.segments
        and code not in judged[item.position].taken.segments
    ]


def _parts(track: Track, where: str) -> tuple[str, ...]:
    codes = [corner.code for corner in track.corners]
    if where not in codes:
        return ()
    at = codes.index(where)
    return (where, codes[at + 1]) if track.corners[at].linked_to_next and at + 1 < len(codes) else (where,)


def switches(first: Sequence[Sample], second: Sequence[Sample]) -> int:
    """How often it was changed from one to the other, in the order of driving."""
    order = sorted([(item.position, 0) for item in first] + [(item.position, 1) for item in second])
    return sum(before[1] != after[1] for before, after in pairwise(order))


def what_else_changed(first: Sequence[Lap], second: Sequence[Lap], where: str = "") -> list[str]:
    """What else is not the same on both sides: the comparison is of the bundle then.

    Args:
        first, second: laps of either side.
        where: what was to be compared, which isn't told.

    >>> from fleet_rival.core.example import lap
    >>> what_else_changed([lap(2, setup="A")], [lap(3, setup="B"), lap(4, setup="C")])
    ['setup']
    """
    found = []
    sides = (first, second)
    for name in _BESIDES:
        if name == where:
            continue
        values = [{value for lap in side if (value := getattr(lap, name)) is not None} for side in sides]
        if values[0] and values[1] and not values[0] & values[1]:
            found.append(name)
    others: list[Mapping[str, set[str]]] = []
    for side in sides:
        labels: dict[str, set[str]] = {}
        for lap in side:
            for place, label in lap.options:
                labels.setdefault(place, set()).add(label)
        others.append(labels)
    for place in sorted(others[0].keys() & others[1].keys() - {where}):
        if not others[0][place] & others[1][place]:
            found.append(f"option {place}")
    return found


def detrended_pair(
    first: Sequence[Sample], second: Sequence[Sample]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Times of those that didn't fail with the runs' common slope taken out, so that whoever was driven later isn't
    slower for that.
    """
    blocks: dict[tuple[str, int | None], list[Sample]] = {}
    for item in sorted((*first, *second), key=lambda sample: sample.position):
        if not item.failed:
            blocks.setdefault(item.block, []).append(item)
    long = [some for some in blocks.values() if len(some) >= 5]
    slope = pooled_slope(
        [
            (np.asarray([item.number for item in some], float), np.asarray([item.time_us for item in some], float))
            for some in long
        ]
    )
    cost = slope.value if slope is not None else 0.0
    middle = {block: float(np.mean([item.number for item in some])) for block, some in blocks.items()}

    def values(samples: Sequence[Sample]) -> NDArray[np.float64]:
        return np.asarray(
            [item.time_us - cost * (item.number - middle[item.block]) for item in samples if not item.failed],
            dtype=np.float64,
        )

    return values(first), values(second)
