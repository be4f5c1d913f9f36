"""People have the last word on marks: what one key does to laps."""

from collections.abc import Mapping, Sequence, Set
from dataclasses import replace

from fleet_rival.core.laps.lap import Identity, Lap
from fleet_rival.core.laps.marks import JudgedLap, judge
from fleet_rival.core.settings import Settings
from fleet_rival.core.track import Track
from fleet_rival.core.words import MARKS

__all__ = ["BadMark", "said_with", "turned"]


class BadMark(ValueError):
    """There is no mark of this name."""


def turned(
    track: Track, laps: Sequence[Lap], chosen: Set[Identity], settings: Settings
) -> dict[Identity, dict[str, bool]]:
    """What is said of laps when one key turns round whether each of them counts.

    A lap that counts is set aside, or loses what was denied so that it counted. One that doesn't count loses what
    people said against it, and is said to bear none of the marks that facts and rules still set: no more than is
    needed, so that turning
        twice leaves
    nothing behind.

    Args:
        laps: all laps of one driver, runs told apart.
        chosen: those that are turned; out and in laps among them stay as they are.

    Returns:
        Of each turned lap, mark to whether it stands, as `Lap.said` holds it.

    >>> from fleet_rival.core.example import LAPS, TRACK
    >>> from fleet_rival.core.settings import Settings
    >>> turned(TRACK, LAPS, {LAPS[2].identity}, Settings())
    {Identity(driver='Ysolde Farrand', session='1', run=1, number=3): {'practice_only': True}}
    """
    out: dict[Identity, dict[str, bool]] = {}
    counted: dict[Identity, bool] = {}
    for item in _of(judge(track, laps, settings), chosen):
        # First what people said is taken back; often that is all.
        out[item.lap.identity] = {
            mark: stands for mark, stands in item.lap.said.items() if mark not in MARKS or stands is item.clean
        }
        counted[item.lap.identity] = item.clean
    # Then what is still missing is said. A rule may have waited behind another mark, or on another lap: each is met as
    # it comes up.
    for _ in MARKS:
        now = [replace(lap, said=out[lap.identity]) if lap.identity in out else lap for lap in laps]
        left = [item for item in _of(judge(track, now, settings), chosen) if item.clean is counted[item.lap.identity]]
        if not left:
            break
        for item in left:
            out[item.lap.identity] |= {"practice_only": True} if item.clean else dict.fromkeys(item.marks, False)
    return out


def _of(judged: Sequence[JudgedLap], chosen: Set[Identity]) -> list[JudgedLap]:
    return [item for item in judged if item.flying and item.lap.identity in chosen]


def said_with(said: Mapping[str, bool], changes: Mapping[str, bool | None]) -> dict[str, bool]:
    """What is said of a lap after some marks were set, denied, or left to facts and rules again (None).

    Raises:
        BadMark: an unknown mark.

    >>> said_with({"tow": True}, {"tow": None, "cool": False})
    {'cool': False}
    """
    if strange := sorted(changes.keys() - set(MARKS)):
        raise BadMark(f"{strange[0]} is not a mark of laps")
    merged: dict[str, bool | None] = {**said, **changes}
    return {mark: stands for mark, stands in merged.items() if stands is not None}
