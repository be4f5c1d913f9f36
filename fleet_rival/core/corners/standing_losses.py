"""Standing losses: who does a corner wrongly on every lap makes no slips there; only somebody else's good passes
show it.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from statistics import median

from fleet_rival.core.corners.kinds import CARRIED, FORESTALLED
from fleet_rival.core.corners.references import References
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import MAD_TO_SD
from fleet_rival.core.times import MICROSECONDS

__all__ = ["StandingLoss", "merged", "standing_losses"]


@dataclass(frozen=True, slots=True)
class StandingLoss:
    """What a driver loses in a part on every lap, beyond being slower everywhere.

    Attributes:
        against: whose reference is the fastest.
        own_us, best_us: references.
        gap: the driver's median gap over all parts, as a share.
        kind: by the two median good passes; `other` where they don't tell.
    """

    corner: str
    loss_us: float
    against: str
    own_us: float
    best_us: float
    gap: float
    kind: str = "other"


def standing_losses(own: References, others: Mapping[str, References], settings: Settings) -> list[StandingLoss]:
    """Parts in which a driver stands out from the own gap to the fastest, the dearest first.

    Losing everywhere is being slower, not a standing loss: it is taken out by the driver's median gap. What is left
    must stand out from how the gaps of the other parts scatter, since nobody is equally good everywhere. What was given
    up and won back in parts that are judged together isn't lost.

    Args:
        own: of more than a candidate's passes.
        others: the same of drivers in the same car and conditions, guests too.

    >>> even = dict.fromkeys("abcdefg", 9.9e6)
    >>> own, quick = {**even, "b": 10.3e6, "c": 9.6e6}, References(even, {("b", "c"): 19.8e6})
    >>> [item.corner for item in standing_losses(References(own), {"her": quick}, Settings())]
    ['b']
    >>> standing_losses(References(own, {("b", "c"): 19.85e6}), {"her": quick}, Settings())
    []
    """
    names, references = sorted(others), [others[name] for name in sorted(others)]
    gaps = own.gaps(references)
    if len(gaps) < 3:
        return []
    middle = median(gaps.values())
    scatter = MAD_TO_SD * median(abs(gap - middle) for gap in gaps.values())
    found = []
    for code, (loss, fastest) in own.beyond(references, middle).items():
        best = references[fastest].parts[code]
        floor = max(settings.standing_floor_s * MICROSECONDS, settings.slip_floor_pct / 100 * best)
        if loss > max(floor, settings.standing_deviations * scatter * best):
            found.append(StandingLoss(code, loss, names[fastest], own.parts[code], best, middle))
    return sorted(found, key=lambda item: (-item.loss_us, item.corner))


def merged(losses: Sequence[StandingLoss], codes: Sequence[str]) -> list[StandingLoss]:
    """The losses with those told once that show in two parts: who brakes too soon for a corner on every lap loses in
    the part before it too.

    Args:
        codes: parts in the order of the lap.
    """
    following = dict(zip(codes, [*codes[1:], *codes[:1]], strict=True))
    told = {item.corner: item for item in losses if item.kind != FORESTALLED}
    for item in losses:
        if item.kind == FORESTALLED:
            corner = following.get(item.corner, item.corner)
            known = told.get(corner)
            told[corner] = (
                replace(known, loss_us=known.loss_us + item.loss_us)
                if known
                else replace(item, corner=corner, kind="early-brake")
            )
    # What is only brought along from the corner before has no kind of its own.
    plain = [replace(item, kind="other") if item.kind == CARRIED else item for item in told.values()]
    return sorted(plain, key=lambda item: (-item.loss_us, item.corner))
