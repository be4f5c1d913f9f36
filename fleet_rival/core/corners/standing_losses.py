"""Standing losses: who does a corner wrongly on every lap makes no slips there; only somebody else's good passes
show it.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from statistics import median

from fleet_rival.core.corners.kinds import CARRIED, FORESTALLED
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import MAD_TO_SD
from fleet_rival.core.times import MICROSECONDS

__all__ = ["StandingLoss", "merged", "standing_losses"]


@dataclass(frozen=True, slots=True)
class StandingLoss:
    """What a driver loses in a part on every lap, beyond being slower everywhere.

    Attributes:
        against: whose reference is the fastest.
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


def standing_losses(
    own: Mapping[str, float], others: Mapping[str, Mapping[str, float]], settings: Settings
) -> list[StandingLoss]:
    """Parts in which a driver stands out from the own gap to the fastest, the dearest first.

    Losing everywhere is being slower, not a standing loss: it is taken out by the driver's median gap. What is left
        must stand out from how the gaps
    of the other parts scatter, since nobody is equally good everywhere.

    Args:
        own: references in microseconds by part, of more than a candidate's passes.
        others: the same of drivers in the same car and conditions, guests too.
    """
    best = {
        code: min((references[code], name) for name, references in others.items() if code in references)
        for code in own
        if any(code in references for references in others.values())
    }
    if len(best) < 3:
        return []
    gaps = {code: own[code] / reference - 1 for code, (reference, _) in best.items()}
    middle = median(gaps.values())
    scatter = MAD_TO_SD * median(abs(gap - middle) for gap in gaps.values())
    found = []
    for code, (reference, name) in best.items():
        loss = own[code] - reference * (1 + middle)
        floor = max(settings.standing_floor_s * MICROSECONDS, settings.slip_floor_pct / 100 * reference)
        if loss > max(floor, settings.standing_deviations * scatter * reference):
            found.append(StandingLoss(code, loss, name, own[code], reference, middle))
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
