"""What becomes of laps when sectors or corners get other boundaries."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from fleet_rival.core.track import Part, Track

__all__ = ["Retiming", "retiming"]

_SAME_M = 1e-3


@dataclass(frozen=True, slots=True)
class Retiming:
    """How times and corner codes of laps follow from what they were."""

    segments: Mapping[str, tuple[str, ...] | None]
    """New segment to the old ones that it is the sum of; None where no sum gives it."""
    sectors: Mapping[str, tuple[str, ...] | None]
    codes: Mapping[str, str]
    """Old corner code to the corner that it is now, for marks such as strikes; those that stay the same are left
    out.
    """

    @property
    def changes_laps(self) -> bool:
        """Whether anything of any lap would change."""
        same = all(old == (new,) for plan in (self.segments, self.sectors) for new, old in plan.items())
        return bool(self.codes) or not same

    @property
    def lost(self) -> tuple[str, ...]:
        """Parts whose times are lost, since they can't be made from the old ones."""
        return tuple(code for plan in (self.sectors, self.segments) for code, old in plan.items() if old is None)

    def sector_times(self, times: Mapping[str, int]) -> dict[str, int]:
        """Sector times of a lap after the change, in microseconds."""
        return _summed(self.sectors, times)

    def segment_times(self, times: Mapping[str, int]) -> dict[str, int]:
        """Segment times of a lap after the change, in microseconds."""
        return _summed(self.segments, times)

    def code(self, old: str) -> str:
        """What a corner is called now."""
        return self.codes.get(old, old)


def retiming(old: Track, new: Track, same: Mapping[str, str]) -> Retiming:
    """How laps of one layout are read after its boundaries have changed.

    A new part whose ends were boundaries before is the exact sum of the parts between them; no other time is made up.

    Args:
        same: code of each old corner that stays to its code now. Marks of one that goes move to the corner in whose
            segment its apex lies.

    Raises:
        ValueError: the two differ in length.
    """
    if abs(old.length_m - new.length_m) > _SAME_M:
        raise ValueError("the lap has another length")
    codes = {}
    for corner in old.corners:
        now = same.get(corner.code)
        if now is None:
            owner = next((part.code for part in new.segment_parts if part.start_m <= corner.apex_m < part.end_m), None)
            now = owner if owner is not None else corner.code
        if now != corner.code:
            codes[corner.code] = now
    return Retiming(_plan(old.segment_parts, new.segment_parts), _plan(old.sector_parts, new.sector_parts), codes)


def _plan(old: Sequence[Part], new: Sequence[Part]) -> dict[str, tuple[str, ...] | None]:
    plan: dict[str, tuple[str, ...] | None] = {}
    for part in new:
        inside = [item for item in old if item.start_m >= part.start_m - _SAME_M and item.end_m <= part.end_m + _SAME_M]
        whole = (
            inside
            and abs(inside[0].start_m - part.start_m) <= _SAME_M
            and abs(inside[-1].end_m - part.end_m) <= _SAME_M
        )
        plan[part.code] = tuple(item.code for item in inside) if whole else None
    return plan


def _summed(plan: Mapping[str, tuple[str, ...] | None], times: Mapping[str, int]) -> dict[str, int]:
    return {
        new: sum(times[code] for code in old) for new, old in plan.items() if old and all(code in times for code in old)
    }
