"""Slips: passes much slower than the driver's ordinary ones, or that somebody reported; and what each of them cost
further on.
"""

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final

from fleet_rival.core.corners.inputs import Cause
from fleet_rival.core.corners.joined import JoinedPass, Together
from fleet_rival.core.corners.kinds import CARRIED, FORESTALLED
from fleet_rival.core.corners.ordinary import Ordinary, mirrored
from fleet_rival.core.corners.references import PartFigures, best_third
from fleet_rival.core.corners.thresholds import Levels, Scale, Threshold, threshold_above
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.laps.verdict import is_cold
from fleet_rival.core.settings import Settings
from fleet_rival.core.track import Part, Track

__all__ = ["Correction", "Found", "Slip", "booked", "cold_figures", "cold_slips", "kind_of", "warm_slips"]

FindCause = Callable[[int, str], Cause | None]
"""Lap's position and part to what telemetry says is the cause."""


_OUTRANKS_SLIDE: Final = frozenset({"early-throttle", "double-input", "late-brake", "lock-up"})
"""What makes a car slide: where telemetry shows one of these, the slide is its symptom."""


@dataclass(frozen=True, slots=True)
class Correction:
    """What a person said of one pass, over all rules.

    Attributes:
        kind: after the vocabulary of mistakes; None: as the rules say.
        cause_corner: where it began; None: here.
        no_mistake: it was none, or not the driver's (others were in the way).
        remark: in the person's words.
    """

    kind: str | None = None
    cause_corner: str | None = None
    no_mistake: bool = False
    remark: str | None = None


@dataclass(frozen=True, slots=True)
class Found:
    """A slow or reported pass, before anybody asked why.

    Attributes:
        lap: position among the driver's laps.
        code: of the part.
        excess_us: over the ordinary pass.
        loss_us: over the reference, the run's trend taken out.
        slow: beyond the threshold, whatever else is known.
        fact: what the file or a person reported: `spin`, `contact`, `slide`, `limits`; None.
        tag: the kind that a person gave it; None.
        judged_with: parts that it was judged together with, its own among them.
    """

    lap: int
    code: str
    excess_us: float
    loss_us: int
    slow: bool
    fact: str | None
    tag: str | None
    judged_with: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Slip:
    """A slip with its kind and what it cost.

    Attributes:
        corner: where it shows; `cause_corner`: where it began, the same unless a person said otherwise.
        source: `telemetry`, `times` (the kind is unknown), `file` (reported) or `person`.
        knock_on_us: excess over the ordinary pass in the parts behind it.
        booked: parts behind it, by lap and code, whose losses are booked here.
        rule_kind: what rules made of it, whatever a person said.
    """

    found: Found
    kind: str
    source: str
    cause: Cause | None
    knock_on_us: float
    cause_corner: str
    rule_kind: str
    booked: tuple[tuple[int, str], ...] = ()
    remark: str | None = None
    before_us: float = 0.0
    """What it cost in the part before already: who brakes too soon does so ahead of the segment."""

    @property
    def lap(self) -> int:
        return self.found.lap

    @property
    def corner(self) -> str:
        return self.found.code

    @property
    def loss_us(self) -> int:
        return self.found.loss_us + round(self.before_us)


def warm_slips(
    parts: Mapping[str, PartFigures],
    judged: Sequence[JudgedLap],
    thresholds: Mapping[str, Threshold],
    levels: Levels,
    together: Together,
) -> list[Found]:
    """Slow or reported passes, in no certain order.

    Args:
        together: parts that are judged together, as one is given up for another.
    """
    out: list[Found] = []
    as_one: dict[tuple[int, tuple[str, ...]], tuple[JoinedPass, list[Found]]] = {}
    for code, figures in parts.items():
        if (threshold := thresholds.get(code)) is None:
            continue
        for index in figures.passes:
            found = _look(judged, index, code, figures.losses_us[index], threshold, levels)
            if found is None:
                continue
            passed = together.passed(index, code)
            if passed is None:
                out.append(found)
            else:
                as_one.setdefault((index, passed.stretch), (passed, []))[1].append(found)
    for passed, items in as_one.values():
        out += _as_one(items, passed)
    return out


def _as_one(items: Sequence[Found], passed: JoinedPass) -> list[Found]:
    """What was found in parts that are judged together: told once, where most was lost and with what all of them cost,
    if they were slow together; and whatever was reported.
    """
    out = {item.code: replace(item, slow=False, judged_with=passed.stretch) for item in items if item.fact or item.tag}
    if passed.slow and any(item.slow for item in items):
        here = out.get(passed.dearest) or Found(items[0].lap, passed.dearest, 0.0, 0, True, None, None, passed.stretch)
        out[here.code] = replace(here, excess_us=passed.excess_us, loss_us=round(passed.loss_us), slow=True)
    return list(out.values())


def _look(
    judged: Sequence[JudgedLap], index: int, code: str, loss_us: int, threshold: Threshold | None, levels: Levels
) -> Found | None:
    item = judged[index]
    lap = item.lap
    incident = (
        next((incident.what for incident in item.incidents if incident.corner == code), None)
        if code in item.taken.own
        else None
    )
    fact = incident or ("limits" if code in item.strikes and code in item.taken.own else None)
    tag = next((kind for corner, kind in lap.mistakes if corner == code), None)
    level_us = levels.us(judged, index, code, threshold.reference_us) if threshold else 0.0
    excess = threshold.excess(loss_us, level_us) if threshold else float(loss_us)
    slow = threshold is not None and excess > threshold.excess_us and (index, code) not in levels.trials
    return Found(index, code, excess, loss_us, slow, fact, tag) if slow or fact or tag else None


def cold_figures(
    track: Track, judged: Sequence[JudgedLap], members: Sequence[int], parts: Sequence[Part], depth: str
) -> dict[str, dict[int, int]]:
    """Times of passes on cold tyres, by part and position of the lap: what speaks against them is the cold alone."""
    out: dict[str, dict[int, int]] = {}
    inside = {part.code: track.segments_of(part) for part in parts}
    for part in parts:
        times = {}
        for index in members:
            item = judged[index]
            on_cold = is_cold(item) or bool(inside[part.code] & item.cold_parts)
            if on_cold and not item.spoilt_when_cold and not inside[part.code] & item.taken.by_others:
                time = getattr(item.lap, depth).get(part.code)
                if time is not None:
                    times[index] = time
        out[part.code] = times
    return out


def cold_slips(
    times: Mapping[str, Mapping[int, int]], judged: Sequence[JudgedLap], levels: Levels, settings: Settings
) -> tuple[list[Found], dict[str, Threshold], dict[str, dict[int, int]]]:
    """Slow or reported passes on cold tyres, held against the driver's own cold passes; of fewer than five only what
    was reported.

    Returns:
        What was found; the thresholds; the losses, by part and lap.
    """
    found: list[Found] = []
    middles: dict[str, tuple[Ordinary, float]] = {}
    losses: dict[str, dict[int, int]] = {}
    scale = Scale()
    for code, known in times.items():
        own = [index for index in known if code not in judged[index].taken.own]
        spared = sorted(known[index] for index in own)
        if not spared:
            continue
        reference = float(best_third(spared))
        losses[code] = {index: round(time - reference) for index, time in known.items()}
        if len(spared) >= settings.reference_passes:
            middles[code] = (
                mirrored([known[index] - levels.us(judged, index, code, reference) for index in own]),
                reference,
            )
            scale.shares.append(middles[code][0].noise_us / reference)
    thresholds = {
        code: threshold_above(middle, reference, scale, settings) for code, (middle, reference) in middles.items()
    }
    for code, known in times.items():
        for index in known if code in losses else ():
            if item := _look(judged, index, code, losses[code][index], thresholds.get(code), levels):
                found.append(item)
    return found, thresholds, losses


def kind_of(found: Found, cause: Cause | None) -> tuple[str, str]:
    """Kind and source of a pass by rules: what a person said, what was reported, what telemetry shows."""
    if cause and cause.kind == CARRIED:
        cause = None
    if cause and cause.kind == FORESTALLED:
        cause = replace(cause, kind="early-brake")
    if found.tag:
        return found.tag, "person"
    if found.fact in ("spin", "contact"):
        return found.fact, "file"
    if found.fact == "slide":
        return (cause.kind, "telemetry") if cause and cause.kind in _OUTRANKS_SLIDE else ("slide", "file")
    if found.fact == "limits":
        return (cause.kind, "telemetry") if cause and found.slow else ("limits", "file")
    return (cause.kind, "telemetry") if cause else ("other", "times")


def booked(
    track: Track,
    parts: Sequence[Part],
    judged: Sequence[JudgedLap],
    found: Sequence[Found],
    excess_us: Callable[[int, str], float | None],
    find_cause: FindCause,
    corrections: Mapping[tuple[int, str], Correction],
    like: Mapping[tuple[str, str], str],
    settings: Settings,
) -> list[Slip]:
    """Slips in the order in which they happened, with kinds, and with the losses behind them that they brought about.

    Args:
        parts: of the lap, in order.
        excess_us: excess over the ordinary pass, by lap's position and part; None: nothing is known of it.
        corrections: by lap's position and part.
        like: kinds that a person gave to all passes like one, by part and what rules make of it.
    """
    place = {part.code: index for index, part in enumerate(parts)}
    corners = {corner.code for corner in track.corners} & place.keys() or place.keys()
    by_pass = {(item.lap, item.code): item for item in found}
    causes: dict[tuple[int, str], Cause | None] = {}

    def cause(key: tuple[int, str]) -> Cause | None:
        if key not in causes:
            causes[key] = find_cause(*key)
        return causes[key]

    taken: set[tuple[int, str]] = set()
    forestalled: dict[tuple[int, str], float] = {}
    slips: list[Slip] = []
    for item in sorted(found, key=lambda item: (item.lap, place[item.code])):
        key = (item.lap, item.code)
        correction = corrections.get(key, Correction())
        if correction.no_mistake or key in taken:
            continue
        why = cause(key)
        begun_at = item.code
        if why is not None and why.kind == FORESTALLED and not (item.tag or item.fact):
            ahead = next(iter(_behind(track, parts, judged, item, place, settings)), None)
            if ahead in by_pass:
                # The same mistake shows in both segments: it is told once, with what it cost in the first.
                forestalled[ahead] = item.excess_us
                continue
            begun_at = ahead[1] if ahead else item.code
        rule_kind, source = kind_of(item, why)
        kind = correction.kind or (rule_kind if source == "person" else like.get((item.code, rule_kind), rule_kind))
        source = "person" if kind != rule_kind else source
        after = _behind(track, parts, judged, item, place, settings)
        behind = _brought_along(item, after, by_pass, cause, corrections, corners)
        taken.update(place for place in behind if place in by_pass)
        known = {place: excess for place in behind if (excess := excess_us(*place)) is not None}
        slips.append(
            Slip(
                item,
                kind,
                source,
                why,
                sum(known.values(), 0.0),
                correction.cause_corner or begun_at,
                rule_kind,
                tuple(known),
                correction.remark,
                forestalled.get(key, 0.0),
            )
        )
    return slips


def _brought_along(
    item: Found,
    after: Iterable[tuple[int, str]],
    by_pass: Mapping[tuple[int, str], Found],
    cause: Callable[[tuple[int, str]], Cause | None],
    corrections: Mapping[tuple[int, str], Correction],
    corners: Collection[str],
) -> list[tuple[int, str]]:
    """Passes behind a slip that lost what it brought along, up to the next slip of its own.

    Args:
        after: passes behind it, in order.
        by_pass: slips by their passes.
        corners: parts that hold a corner to slip in.
    """
    out = []
    for place in after:
        other = by_pass.get(place)
        if other is not None:
            if place in corrections or other.tag is not None or other.fact is not None:
                break
            why = cause(place)
            brought = why is not None and why.kind == CARRIED
            # Telemetry knows better than the size of the loss whether it was brought along; and the stretch from the
            # line to the first corner holds no corner to slip in.
            brought = brought or (why is None and place[1] not in corners)
            if not brought and (why is not None or other.loss_us > item.loss_us):
                break
        out.append(place)
    return out


def _behind(
    track: Track,
    parts: Sequence[Part],
    judged: Sequence[JudgedLap],
    item: Found,
    place: Mapping[str, int],
    settings: Settings,
) -> list[tuple[int, str]]:
    """Parts behind a slip that it may have spoilt, across the line within a run."""
    out: list[tuple[int, str]] = []
    lap, at = item.lap, place[item.code]
    gone = 0.0
    for _ in range(settings.carried_segments):
        at += 1
        if at == len(parts):
            at = 0
            after = judged[lap].next_lap
            if after is None or not judged[after].flying:
                break
            lap = after
        if gone > settings.carried_lap_share * track.length_m:
            break
        # What was judged together with it was told with it.
        if lap != item.lap or parts[at].code not in item.judged_with:
            out.append((lap, parts[at].code))
        gone += parts[at].end_m - parts[at].start_m
    return out
