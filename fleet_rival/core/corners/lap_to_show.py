"""The lap to show: the clean lap on which least was lost in sum, for learning from; not the fastest."""

from collections.abc import Mapping, Sequence

from fleet_rival.core.corners.references import PartFigures
from fleet_rival.core.laps.marks import JudgedLap

__all__ = ["lap_to_show"]


def lap_to_show(
    judged: Sequence[JudgedLap], members: Sequence[int], parts: Mapping[str, PartFigures]
) -> tuple[int, int] | None:
    """Position of the lap, and its summed excess in microseconds; the earliest of equals.

    A part that went better than its reference makes up for nothing: one brilliant corner among slips is nothing to
        learn a lap from.

    Args:
        judged: all laps of the driver, in order.
        members: positions of the group's flying laps in `judged`.
        parts: of the depth that is known, with losses against the references.

    Returns:
        None where no clean lap has all parts.
    """
    known = [figures.losses_us for figures in parts.values() if figures.reference is not None]
    if not known or len(known) < len(parts):
        return None
    whole = [index for index in members if judged[index].clean and all(index in losses for losses in known)]
    excess = {index: sum(max(0, losses[index]) for losses in known) for index in whole}
    if not excess:
        return None
    chosen = min(excess, key=lambda index: (excess[index], index))
    return chosen, excess[chosen]
