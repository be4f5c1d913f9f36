"""Blocks of practice: what each kind is for, how long it takes, and what comes before what."""

from collections.abc import Mapping
from dataclasses import dataclass, fields, replace
from typing import Any, Final

from fleet_rival.core.planning.problem import Care
from fleet_rival.core.settings import Planning

__all__ = ["BLOCKS", "MOST_OWN", "BadBlock", "BlockKind", "laps_of", "library_of", "minutes_of"]

MOST_OWN: Final = 20
"""Kinds that a team may add."""
_STEP_MINUTES: Final = 5
_OWN: Final = "own-"
_CODE_LENGTH: Final = 16


class BadBlock(ValueError):
    """A kind of block that can't be; the message is a sentence for people."""


@dataclass(frozen=True, slots=True)
class BlockKind:
    """A kind of block.

    Attributes:
        laps: flying laps; 0 for what isn't counted in laps.
        minutes: fixed time besides laps: getting in, setting up, talking it over.
        rank: blocks of one entry come in the order of their ranks; those of one rank in any order.
        driving: at the seat.
        coached: led by a coach.
        share: what it is taken to bring where nothing is measured, as a share of the lap: an opinion, for the order of
            things.
        planned: False: nobody wants it in plans.
        pass_mark: when it is passed, in the team's words; empty: as usual.
        name: of a kind that the team has added; else empty.
        times: how often a driver drives a kind that the team has added before a race.
    """

    code: str
    laps: int
    minutes: int
    rank: int
    driving: bool = True
    coached: bool = False
    share: float = 0.0
    planned: bool = True
    pass_mark: str = ""
    name: str = ""
    times: int = 1


BLOCKS: Final[Mapping[str, BlockKind]] = {
    item.code: item
    for item in (
        BlockKind("walk", 8, 10, 0, share=0.008),
        BlockKind("build", 14, 5, 1, share=0.003),
        BlockKind("corner", 12, 5, 2),
        BlockKind("trial", 12, 6, 2),
        BlockKind("wet", 12, 6, 2, share=0.006),
        BlockKind("night", 12, 6, 2, share=0.002),
        BlockKind("long", 22, 5, 3, share=0.001),
        BlockKind("qualifying", 4, 10, 4, share=0.001),
        BlockKind("rehearsal", 0, 12, 5, share=0.0008),
        BlockKind("review", 0, 25, 2, driving=False, coached=True, share=0.15),
    )
}
_LIMITS: Final[Mapping[str, tuple[float, float]]] = {
    "laps": (0, 100),
    "minutes": (0, 240),
    "rank": (0, 9),
    "share": (0.0, 1.0),
    "times": (1, 20),
}


def library_of(told: Mapping[str, Mapping[str, Any]]) -> dict[str, BlockKind]:
    """All kinds of blocks, with what a team has changed and added.

    Args:
        told: by the code of the kind: what is other than usual; kinds that begin with `own-` in full.

    Raises:
        BadBlock: a value that can't be.

    >>> library_of({"walk": {"laps": 4}})["walk"].laps
    4
    """
    out = dict(BLOCKS)
    for code, values in told.items():
        own = code.startswith(_OWN)
        if code not in BLOCKS and (not own or len(code) > _CODE_LENGTH):
            raise BadBlock(f"There is no kind of block {code}.")
        kind = replace(out.get(code, BlockKind(code, 12, 5, 2, share=0.001)), **_checked(code, values))
        if own and not kind.name.strip():
            raise BadBlock("Give the kind of block a name.")
        if kind.driving and code != "rehearsal" and kind.laps < 1:
            raise BadBlock(f"{kind.name or code}: a block at the seat has one lap at least.")
        if not kind.driving and kind.minutes < _STEP_MINUTES:
            raise BadBlock(f"{kind.name or code}: it needs five minutes at least.")
        out[code] = kind
    if len(out) - len(BLOCKS) > MOST_OWN:
        raise BadBlock(f"There are {MOST_OWN} kinds of your own at most.")
    return out


def _checked(code: str, values: Mapping[str, Any]) -> dict[str, Any]:
    usual = (
        {item.name for item in fields(BlockKind)}
        - {"code"}
        - (set() if code.startswith(_OWN) else {"name", "times", "driving", "coached"})
    )
    if unknown := sorted(values.keys() - usual):
        raise BadBlock(f"{code}: {unknown[0]} can't be changed.")
    for name, (low, high) in _LIMITS.items():
        if name in values and not low <= values[name] <= high:
            raise BadBlock(f"{code}: {name} lies between {low:g} and {high:g}.")
    return dict(values)


def laps_of(
    kind: BlockKind,
    lap_us: int | None,
    race_minutes: float,
    care: Care | None = None,
    planning: Planning = Planning(),
) -> int:
    """Flying laps of a block: those of its kind, as many as fit into the seat limit; of a rehearsal, the race's. At
    least one where it is driven.

    >>> laps_of(BLOCKS["long"], 90_000_000, 30.0), laps_of(BLOCKS["rehearsal"], 90_000_000, 30.0)
    (22, 20)
    """
    if not kind.driving:
        return 0
    if kind.code == "rehearsal":
        return max(1, int(race_minutes * 60e6 / (lap_us or planning.unknown_lap_us)))
    care = care or Care.usual(planning)
    room = (care.seat_limit_minutes - kind.minutes) / _lap_minutes(kind, lap_us, planning)
    room -= 2 * planning.slow_lap_pct / 100
    return max(1, min(kind.laps, int(room)))


def minutes_of(
    kind: BlockKind,
    lap_us: int | None,
    race_minutes: float,
    care: Care | None = None,
    planning: Planning = Planning(),
) -> int:
    """How long a block takes, on whole five minutes.

    A block that would go beyond the seat limit has as many laps as fit; a rehearsal lasts as long as its race.

    >>> minutes_of(BLOCKS["corner"], 60_000_000, 20.0)
    20

    Args:
        lap_us: a lap at pace; None where nobody knows.
    """
    care = care or Care.usual(planning)
    if kind.code == "rehearsal":
        return _whole(race_minutes + kind.minutes)
    lap = _lap_minutes(kind, lap_us, planning)
    out_and_in = 2 * lap * planning.slow_lap_pct / 100 if kind.driving else 0.0
    minutes = kind.laps * lap + out_and_in + kind.minutes
    return min(_whole(minutes), int(care.seat_limit_minutes)) if kind.driving else _whole(minutes)


def _lap_minutes(kind: BlockKind, lap_us: int | None, planning: Planning) -> float:
    lap = (lap_us or planning.unknown_lap_us) / 60e6
    return lap * planning.walked_lap_pct / 100 if kind.code == "walk" else lap


def _whole(minutes: float) -> int:
    return int(-(-minutes // _STEP_MINUTES)) * _STEP_MINUTES
