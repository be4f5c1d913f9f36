"""What a run is held against while it is driven: its purpose gives the mark, its laps say how far it has come."""

from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median

from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.laps.verdict import was_driven_through
from fleet_rival.core.settings import Settings

__all__ = ["PassMark", "pass_mark"]

_THROUGH = ("learn", "experiment", "commentary", "corner", "trial", "rehearsal")
"""Purposes of runs that are there to be driven through without a fault, whatever the pace."""


@dataclass(frozen=True, slots=True)
class PassMark:
    """How a run stands.

    Attributes:
        kind: `laps` (so many clean ones), `target` (one lap at the target or better), `steady` (so many, most of them
            alike), `first` (the target within the first flying laps), or `none` where nothing is to be held against.
        done, wanted: laps; of `target` and `first` whether it was reached, 0 or 1.
        met: whether the mark is reached.
        lost: whether it can't be reached in this run any more.
        share: of `steady`: laps within the allowed distance from their median, so far.
        gap_us: of `target` and `first`: best lap less target.
    """

    kind: str
    done: int
    wanted: int
    met: bool
    lost: bool = False
    share: float | None = None
    gap_us: int | None = None


def pass_mark(judged: Sequence[JudgedLap], purpose: str | None, target_us: int | None, settings: Settings) -> PassMark:
    """Hold a run against its purpose's mark.

    Args:
        judged: laps of one run, any kinds, as far as it has come.
        target_us: the combination's target lap, where there is one.

    >>> from fleet_rival.core.example import LAPS, TRACK
    >>> from fleet_rival.core.laps.marks import judge
    >>> pass_mark(judge(TRACK, LAPS, Settings()), "long", None, Settings()).met
    True
    """
    if target_us is None and purpose not in (*_THROUGH, "long"):
        return PassMark("none", 0, 0, met=False)
    clean = [item.lap.time_us for item in judged if item.clean]
    flying = [item for item in judged if item.flying]
    if purpose in _THROUGH:
        # No evidence of pace: what counts is that laps were driven through without a fault.
        whole = sum(map(was_driven_through, flying))
        return PassMark("laps", whole, settings.pass_laps, whole >= settings.pass_laps)
    if purpose == "long":
        middle = median(clean) if clean else 0
        near = sum(abs(time - middle) <= settings.within_pct / 100 * middle for time in clean)
        share = near / len(clean) if clean else None
        met = len(clean) >= settings.pass_long_laps and share is not None and share >= settings.pass_long_share
        return PassMark("steady", len(clean), settings.pass_long_laps, met, share=share)
    assert target_us is not None
    counted = flying[: settings.pass_first_laps] if purpose == "qualifying" else flying
    best = min((item.lap.time_us for item in counted if item.may_be_best), default=None)
    met = best is not None and best <= target_us
    lost = purpose == "qualifying" and not met and len(flying) >= settings.pass_first_laps
    return PassMark(
        "first" if purpose == "qualifying" else "target",
        int(met),
        1,
        met,
        lost,
        gap_us=None if best is None else best - target_us,
    )
