"""Drivers side by side: who owns the best part, where each is further off than usual, and who could show whom."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import permutations
from typing import Final

import numpy as np

from fleet_rival.core.corners.references import PartFigures, References, comparable

__all__ = ["Beside", "Cell", "Pair", "side_by_side"]

_MOST_PARTS: Final = 3
_WORTH_US: Final = 20_000
"""What somebody could show somebody else must be worth this much a lap."""


@dataclass(frozen=True, slots=True)
class Cell:
    """One driver in one part.

    Attributes:
        reference_us: the driver's reference.
        behind_us: to the fastest reference of the team.
        excess_us: of that, what is more than the driver's usual distance: the standing loss.
        candidate: whether the reference rests on too few passes.
    """

    reference_us: float
    behind_us: float
    excess_us: float
    candidate: bool


@dataclass(frozen=True, slots=True)
class Pair:
    """Who could show whom what, and what it is worth: the learner's excess against that driver in these parts, a
    lap.
    """

    learner: str
    teacher: str
    parts: tuple[str, ...]
    worth_us: float


@dataclass(frozen=True, slots=True)
class Beside:
    """All of them.

    Attributes:
        owners: part to the driver with the fastest reference; the first by name of equals.
        cells: part to driver to cell, where the driver has a reference.
        usual: driver's median relative distance to the fastest reference.
        pairs: dearest first, each learner once.
    """

    owners: Mapping[str, str]
    cells: Mapping[str, Mapping[str, Cell]]
    usual: Mapping[str, float]
    pairs: tuple[Pair, ...]


def side_by_side(
    drivers: Mapping[str, Mapping[str, PartFigures]],
    teachable: Sequence[str] | None = None,
    compared: Mapping[str, References] | None = None,
) -> Beside:
    """Lay drivers of one group beside each other.

    Args:
        drivers: by name, their figures by part, all of one layout, car and conditions.
        teachable: who could learn; everybody where missing. Guests may show and don't learn.
        compared: by name, the references as others are held against them; as they were driven where missing.
    """
    if compared is None:
        compared = {name: comparable(parts, (), candidates=True) for name, parts in drivers.items()}
    known = {
        name: {code: figures.reference for code, figures in parts.items() if figures.reference is not None}
        for name, parts in sorted(drivers.items())
    }
    codes = list(dict.fromkeys(code for parts in drivers.values() for code in parts))
    fastest: dict[str, tuple[Fraction, str]] = {}
    for code in codes:
        times = [(references[code].time_us, name) for name, references in known.items() if code in references]
        if times:
            fastest[code] = min(times)
    everybody = [compared[name] for name in known]
    gaps = {name: compared[name].gaps(everybody) for name in known}
    usual = {name: float(np.median(list(of.values()))) for name, of in gaps.items() if of}
    cells: dict[str, dict[str, Cell]] = {code: {} for code in fastest}
    for name, gap in usual.items():
        for code, (excess, _) in compared[name].beyond(everybody, gap).items():
            reference = known[name][code]
            own = float(reference.time_us)
            cells[code][name] = Cell(own, own - float(fastest[code][0]), excess, reference.candidate)
    owners = {code: owner for code, (_, owner) in fastest.items()}
    shown = {name: compared[name] for name in known}
    return Beside(owners, cells, usual, _pairs(shown, teachable if teachable is not None else list(known)))


def _pairs(compared: Mapping[str, References], learners: Sequence[str]) -> tuple[Pair, ...]:
    best: dict[str, Pair] = {}
    for learner, teacher in permutations(compared, 2):
        own, other = compared[learner], compared[teacher]
        both = own.parts.keys() & other.parts.keys()
        if learner not in learners or not both:
            continue
        # How much slower the learner is than this driver as a rule; what is beyond that could be shown.
        rule = max(float(np.median([own.parts[code] / other.parts[code] for code in both])), 1.0)
        excess = sorted(
            ((loss, code) for code, (loss, _) in own.beyond([other], rule - 1).items()),
            key=lambda item: (-item[0], item[1]),
        )
        chosen = [(value, code) for value, code in excess[:_MOST_PARTS] if value >= _WORTH_US]
        pair = Pair(learner, teacher, tuple(code for _, code in chosen), sum(value for value, _ in chosen))
        if chosen and (learner not in best or pair.worth_us > best[learner].worth_us):
            best[learner] = pair
    return tuple(sorted(best.values(), key=lambda pair: (-pair.worth_us, pair.learner)))
