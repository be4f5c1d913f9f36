"""Which blocks would help a driver before a race, how long they take, and what each is worth."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from fleet_rival.core.planning.blocks import BLOCKS, BlockKind, laps_of, minutes_of
from fleet_rival.core.planning.problem import Care
from fleet_rival.core.planning.readiness import Evidence
from fleet_rival.core.settings import Planning

__all__ = ["NeededBlock", "needed_blocks"]


@dataclass(frozen=True, slots=True)
class NeededBlock:
    """A block that would help.

    Attributes:
        kind: after the library of blocks.
        about: what it is about, so that the same block is known again: a corner and a kind of mistake, an option; the
            name of a kind that the team has added; empty where the kind says all.
        laps: flying laps; 0 where nothing is driven.
        gain_us: a lap, not yet weighted.
        why: how the gain comes about: `supposed`, `learning`, `mistake`, `option`, `falloff`, `review`; and the numbers
            in it.
    """

    kind: str
    about: str
    minutes: int
    laps: int
    gain_us: float
    why: str
    numbers: Mapping[str, float | str] = field(default_factory=dict)


def needed_blocks(
    evidence: Evidence,
    care: Care | None = None,
    library: Mapping[str, BlockKind] = BLOCKS,
    done: Mapping[str, int] | None = None,
    planning: Planning = Planning(),
) -> list[NeededBlock]:
    """What would help, the most valuable first.

    Args:
        done: how often kinds that the team has added were driven for this race.

    >>> [block.kind for block in needed_blocks(Evidence(lap_us=90_000_000, laps=40, qualifying_runs=2))]
    ['build', 'long', 'rehearsal']
    """
    lap = evidence.lap_us or planning.unknown_lap_us
    out: list[NeededBlock] = []

    def add(kind: str, about: str, gain_us: float, why: str, **numbers: Any) -> None:
        block = library[kind]
        if gain_us >= planning.least_gain_s * 1e6 and block.planned:
            minutes = minutes_of(block, evidence.lap_us, evidence.race_minutes, care, planning)
            laps = laps_of(block, evidence.lap_us, evidence.race_minutes, care, planning)
            out.append(NeededBlock(kind, about, minutes, laps, gain_us, why, numbers))

    def supposed(kind: str) -> None:
        add(kind, library[kind].name, library[kind].share * lap, "supposed", share=library[kind].share)

    if evidence.laps < planning.walked_laps and not evidence.known_track:
        supposed("walk")
    _build(evidence, lap, library["build"].share, planning, add)
    for mistake in evidence.mistakes:
        told = {
            "corner": mistake.corner,
            "mistake": mistake.kind,
            "cost_us": mistake.cost_us,
            "removed": mistake.removed,
        }
        add("corner", f"{mistake.corner}:{mistake.kind}", mistake.cost_us * mistake.removed, "mistake", **told)
    for option in evidence.options:
        # Half of the interval is what a wrong choice costs at most; on average half of that.
        add(
            "trial",
            option.where,
            option.half_us / 2,
            "option",
            where=option.where,
            labels=" or ".join(option.labels),
            half_us=option.half_us,
        )
    if evidence.falloff_half_us is None:
        supposed("long")
    else:
        stint = (evidence.race_laps or evidence.race_minutes * 60e6 / lap) / 2
        add("long", "", evidence.falloff_half_us * stint / 2, "falloff", half_us=evidence.falloff_half_us, laps=stint)
    if evidence.qualifying_runs < 2:
        supposed("qualifying")
    if evidence.rehearsals < 1:
        supposed("rehearsal")
    if "wetness" in evidence.differences:
        supposed("wet")
    elif "time_of_day" in evidence.differences:
        supposed("night")
    cost = sum(mistake.cost_us for mistake in evidence.mistakes)
    add("review", "", library["review"].share * cost, "review", cost_us=cost, share=library["review"].share)
    for kind in library.values():
        if kind.code not in BLOCKS and (done or {}).get(kind.code, 0) < kind.times:
            supposed(kind.code)
    return sorted(out, key=lambda item: (-item.gain_us, item.kind, item.about))


def _build(evidence: Evidence, lap: int, share: float, planning: Planning, add: Callable[..., None]) -> None:
    gain = planning.learning_pct / 100 * evidence.learning_us if evidence.learning_us is not None else share * lap
    why = "learning" if evidence.learning_us is not None else "supposed"
    reached = evidence.gap_us is not None and evidence.gap_us <= 0
    numbers: dict[str, float | str] = {} if evidence.gap_us is None else {"gap_us": float(evidence.gap_us)}
    if evidence.gap_us is not None and not reached:
        gain = min(gain, float(evidence.gap_us))
    add("build", "", gain * (planning.reached_pct / 100 if reached else 1.0), why, share=share, **numbers)
