"""People have the last word on marks: what one key does to a lap."""

from collections.abc import Mapping

from fleet_rival.core.laps.marks import MARKS, JudgedLap

__all__ = ["BadMark", "counting", "said_with"]


class BadMark(ValueError):
    """There is no mark of this name."""


def counting(lap: JudgedLap) -> dict[str, bool]:
    """What is said of a lap when one key turns round whether it counts.

    A lap that counts is set aside; one that doesn't count is said to bear none of the marks that it bears. What facts and rules
    alone would say is never said again by a person, so turning twice leaves nothing behind.

    Returns:
        Mark to whether it stands, as `Lap.said` holds it.
    """
    said = dict(lap.lap.said)
    if lap.marks:
        denied = [mark for mark in lap.marks if said.pop(mark, None) is None]
        # Slow laps are judged when they bear no other mark: what was hidden behind one must not come up in its place.
        return said | dict.fromkeys([*denied, "spoiled"] if denied else [], False)
    if lap.overruled:
        return {mark: stands for mark, stands in said.items() if stands}
    return {**said, "practice_only": True}


def said_with(said: Mapping[str, bool], changes: Mapping[str, bool | None]) -> dict[str, bool]:
    """What is said of a lap after some marks were set, denied, or left to facts and rules again (None).

    Raises:
        BadMark: an unknown mark.
    """
    if strange := sorted(changes.keys() - set(MARKS)):
        raise BadMark(f"{strange[0]} is not a mark of laps")
    merged: dict[str, bool | None] = {**said, **changes}
    return {mark: stands for mark, stands in merged.items() if stands is not None}
