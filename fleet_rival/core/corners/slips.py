"""Slips: passes much slower than the driver's ordinary ones, or that somebody reported; and what each of them cost
further on.
"""

from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from statistics import fmean, median
from typing import Final

from fleet_rival.core.corners.kinds import CARRIED, FORESTALLED, Cause
from fleet_rival.core.corners.ordinary import Ordinary, mirrored, ordinary_of
from fleet_rival.core.corners.references import PartFigures, best_third
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.settings import Settings
from fleet_rival.core.times import MICROSECONDS
from fleet_rival.core.track import Part, Track

__all__ = [
    "Correction",
    "Found",
    "Levels",
    "Slip",
    "Threshold",
    "booked",
    "cold_figures",
    "cold_slips",
    "kind_of",
    "levels_of",
    "thresholds_of",
    "tried_at",
    "warm_slips",
]

FindCause = Callable[[int, str], Cause | None]
"""Lap's position and part to what telemetry says is the cause."""


Tried = tuple[tuple[str, str], ...]
"""Options that bear on a part, with their labels."""


@dataclass(frozen=True, slots=True)
class Levels:
    """What makes passes slower that is no mistake of theirs: the level of their run, and options that are tried.

    Attributes:
        runs: by session and run: how much slower than usual, everywhere alike, as a share.
        bearing: by part: the options that bear on it, those of its corner, of the corner before, and of whole laps.
        tried: by part and what was tried there: microseconds behind the fastest; None where so few tell nothing.
    """

    runs: Mapping[tuple[str, int | None], float]
    bearing: Mapping[str, frozenset[str]] = field(default_factory=dict)
    tried: Mapping[tuple[str, Tried], float | None] = field(default_factory=dict)

    def us(self, lap: Lap, code: str, reference_us: float) -> float:
        """What both are worth in a part, in microseconds."""
        return self.runs.get((lap.session, lap.run), 0.0) * reference_us + (self._tried(lap, code) or 0.0)

    def judges(self, lap: Lap, code: str) -> bool:
        """Whether enough passes tried the same, to say that this one was slow for it."""
        return self._tried(lap, code) is not None

    def _tried(self, lap: Lap, code: str) -> float | None:
        return self.tried.get((code, tried_at(lap, self.bearing[code])), 0.0) if code in self.bearing else 0.0


def tried_at(lap: Lap, places: frozenset[str]) -> Tried:
    """What a lap tried at certain places."""
    return tuple(sorted((where, label) for where, label in lap.options if where in places))


_LEVEL_PASSES: Final = 8
"""Passes, through whatever parts, from which a run has a level."""
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
class Threshold:
    """From when on a pass through a part is a slip.

    Attributes:
        ordinary: the driver's ordinary passes.
        excess_us: over their centre.
        reference_us: what losses are told against.
    """

    ordinary: Ordinary
    excess_us: float
    reference_us: float

    def excess(self, loss_us: float, level_us: float) -> float:
        """How much slower than the ordinary pass, the level of its run taken out."""
        return loss_us + self.reference_us - level_us - self.ordinary.centre_us


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
    """

    lap: int
    code: str
    excess_us: float
    loss_us: int
    slow: bool
    fact: str | None
    tag: str | None


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


@dataclass(slots=True)
class _Scale:
    """Noise of parts with few passes: pooled over all parts, in shares of the part."""

    shares: list[float] = field(default_factory=list)

    def share(self) -> float:
        ordered = sorted(self.shares)
        return ordered[len(ordered) // 2] if ordered else 0.0


def levels_of(parts: Mapping[str, PartFigures], judged: Sequence[JudgedLap], settings: Settings) -> Levels:
    """How much slower each run was than usual, everywhere alike, and what options that were tried are worth.

    Who still learns a track, drives on a green one or carries more fuel is slower in every part of the lap. That is no
    mistake of any corner: a run's
    level is the median, over all its passes through all parts, of what they were slower than the driver's middle pass
    there. Slips are few and
    in few parts, so they don't move it. An option that is slower than another one is no mistake either: it was to be
    tried.

    Args:
        parts: in the order of the lap.
    """
    shares: dict[tuple[str, int | None], list[float]] = defaultdict(list)
    for code, figures in parts.items():
        if figures.reference is None or len(figures.passes) < settings.reference_passes:
            continue
        reference = float(figures.reference.time_us)
        times = {
            index: figures.losses_us[index] + reference
            for index in figures.passes
            if code not in judged[index].taken.own
        }
        if not times:
            continue
        middle = median(times.values())
        for index, time in times.items():
            shares[judged[index].lap.session, judged[index].lap.run].append(time / middle - 1)
    runs = Levels({run: median(values) for run, values in shares.items() if len(values) >= _LEVEL_PASSES})
    return _with_options(runs, parts, judged, settings)


def _with_options(
    levels: Levels, parts: Mapping[str, PartFigures], judged: Sequence[JudgedLap], settings: Settings
) -> Levels:
    places = {
        where
        for index in {index for figures in parts.values() for index in figures.passes}
        for where, _ in judged[index].lap.options
    }
    if not places:
        return levels
    bearing: dict[str, frozenset[str]] = {}
    tried: dict[tuple[str, Tried], float | None] = {}
    before: str | None = None
    for code, figures in parts.items():
        bearing[code] = frozenset(where for where in places if where in (code, before) or where not in parts)
        before = code
        if figures.reference is None or not bearing[code]:
            continue
        groups: dict[Tried, list[float]] = defaultdict(list)
        for index in figures.passes:
            if code not in judged[index].taken.own:
                lap = judged[index].lap
                groups[tried_at(lap, bearing[code])].append(
                    figures.losses_us[index] - levels.us(lap, code, float(figures.reference.time_us))
                )
        middles = {what: median(values) for what, values in groups.items() if len(values) >= settings.reference_passes}
        if len(groups) > 1:
            fastest = min(middles.values(), default=0.0)
            tried |= {(code, what): middles[what] - fastest if what in middles else None for what in groups}
    return replace(levels, bearing=bearing, tried=tried)


def thresholds_of(
    parts: Mapping[str, PartFigures], judged: Sequence[JudgedLap], levels: Levels, settings: Settings
) -> dict[str, Threshold]:
    """From when on a pass is a slip, part by part, from the warm passes with the level and the trend of their run
    taken out.

    Args:
        parts: in the order of the lap.
    """
    ordinary: dict[str, Ordinary] = {}
    references = {
        code: float(figures.reference.time_us) for code, figures in parts.items() if figures.reference is not None
    }
    level = {
        code: {
            index: loss + references[code] - levels.us(judged[index].lap, code, references[code])
            for index, loss in parts[code].losses_us.items()
        }
        for code in references
    }
    scale = _Scale()
    codes = list(parts)
    for code, following in zip(codes, [*codes[1:], None], strict=True):
        if code not in references:
            continue
        spared = [
            index
            for index in sorted(parts[code].passes)
            if code not in judged[index].taken.own and levels.judges(judged[index].lap, code)
        ]
        times = {index: level[code][index] for index in spared}
        found = ordinary_of(list(times.values()), settings)
        if (
            found is not None
            and found.mixed
            and following in references
            and _paid_back(found, times, level[following], settings)
        ):
            found = mirrored(list(times.values()))
        if found is not None:
            ordinary[code] = found
            if found.passes >= settings.reference_passes:
                scale.shares.append(found.noise_us / references[code])
    return {code: _threshold(item, references[code], scale, settings) for code, item in ordinary.items()}


def _paid_back(found: Ordinary, times: Mapping[int, float], behind: Mapping[int, float], settings: Settings) -> bool:
    """Whether the faster passes lose in the next part half or more of what they win here.

    Who brakes too late for the next corner is fast in this part: such passes are no measure of what is ordinary.
    """
    bound = found.centre_us + settings.slip_deviations * found.noise_us
    fast, slow = (
        [index for index in times if (times[index] <= bound) == quick and index in behind] for quick in (True, False)
    )
    if not fast or not slow:
        return False
    won = fmean(times[index] for index in slow) - fmean(times[index] for index in fast)
    kept = fmean(times[index] + behind[index] for index in slow) - fmean(times[index] + behind[index] for index in fast)
    return kept < 0.5 * won


def _threshold(ordinary: Ordinary, reference_us: float, scale: _Scale, settings: Settings) -> Threshold:
    if ordinary.passes < settings.mixture_passes:
        # The scatter of so few says little: that of all parts together, in per cent, is the least that is believed.
        ordinary = replace(ordinary, noise_us=max(ordinary.noise_us, scale.share() * reference_us))
    floor = max(settings.slip_floor_s * MICROSECONDS, settings.slip_floor_pct / 100 * reference_us)
    return Threshold(ordinary, max(settings.slip_deviations * ordinary.noise_us, floor), reference_us)


def warm_slips(
    parts: Mapping[str, PartFigures], judged: Sequence[JudgedLap], thresholds: Mapping[str, Threshold], levels: Levels
) -> list[Found]:
    """Slow or reported passes, in no certain order."""
    return [
        found
        for code, figures in parts.items()
        if (threshold := thresholds.get(code))
        for index in figures.passes
        if (found := _look(judged[index], index, code, figures.losses_us[index], threshold, levels))
    ]


def _look(
    item: JudgedLap, index: int, code: str, loss_us: int, threshold: Threshold | None, levels: Levels
) -> Found | None:
    lap = item.lap
    incident = (
        next((incident.what for incident in item.incidents if incident.corner == code), None)
        if code in item.taken.own
        else None
    )
    fact = incident or ("limits" if code in item.strikes and code in item.taken.own else None)
    tag = next((kind for corner, kind in lap.mistakes if corner == code), None)
    excess = threshold.excess(loss_us, levels.us(lap, code, threshold.reference_us)) if threshold else float(loss_us)
    slow = threshold is not None and excess > threshold.excess_us and levels.judges(lap, code)
    return Found(index, code, excess, loss_us, slow, fact, tag) if slow or fact or tag else None


def cold_figures(
    track: Track, judged: Sequence[JudgedLap], members: Sequence[int], parts: Sequence[Part], depth: str
) -> dict[str, dict[int, int]]:
    """Times of passes on cold tyres, by part and position of the lap: what speaks against them is the cold alone."""
    out: dict[str, dict[int, int]] = {}
    inside = {
        part.code: frozenset(segment.code for segment in track.overlapping(part, track.segment_parts)) for part in parts
    }
    for part in parts:
        times = {}
        for index in members:
            item = judged[index]
            is_cold = "cold" in item.marks or bool(inside[part.code] & item.cold_parts)
            if is_cold and not item.spoilt_when_cold and not inside[part.code] & item.taken.by_earlier:
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
    scale = _Scale()
    for code, known in times.items():
        own = [index for index in known if code not in judged[index].taken.own]
        spared = sorted(known[index] for index in own)
        if not spared:
            continue
        reference = float(best_third(spared))
        losses[code] = {index: round(time - reference) for index, time in known.items()}
        if len(spared) >= settings.reference_passes:
            middles[code] = (
                mirrored([known[index] - levels.us(judged[index].lap, code, reference) for index in own]),
                reference,
            )
            scale.shares.append(middles[code][0].noise_us / reference)
    thresholds = {code: _threshold(middle, reference, scale, settings) for code, (middle, reference) in middles.items()}
    for code, known in times.items():
        for index in known if code in losses else ():
            if item := _look(judged[index], index, code, losses[code][index], thresholds.get(code), levels):
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
        knock_on, behind = 0.0, []
        for after in _behind(track, parts, judged, item, place, settings):
            other = by_pass.get(after)
            if other is not None and after not in corrections and other.tag is None and other.fact is None:
                why_there = cause(after)
                brought = why_there is not None and why_there.kind == CARRIED
                # Telemetry knows better than the size of the loss whether it was brought along; and the stretch from
                # the line to the first corner
                # holds no corner to slip in.
                brought = brought or (why_there is None and after[1] not in corners)
                if not brought and (why_there is not None or other.loss_us > item.loss_us):
                    break
                taken.add(after)
            elif other is not None:
                break
            excess = excess_us(*after)
            if excess is not None:
                knock_on += excess
                behind.append(after)
        slips.append(
            Slip(
                item,
                kind,
                source,
                why,
                knock_on,
                correction.cause_corner or begun_at,
                rule_kind,
                tuple(behind),
                correction.remark,
                forestalled.get(key, 0.0),
            )
        )
    return slips


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
        out.append((lap, parts[at].code))
        gone += parts[at].end_m - parts[at].start_m
    return out
