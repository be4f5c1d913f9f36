"""What of all that was found comes first: what corners cost a lap, the week's three, and what is a matter of the
track book.
"""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from fleet_rival.core.corners.clinic import Clinic
from fleet_rival.core.corners.recurring import Mistake
from fleet_rival.core.corners.standing_losses import StandingLoss
from fleet_rival.core.corners.when import Trend
from fleet_rival.core.words import PriorityKind

__all__ = ["Priority", "SharedMistake", "costs_of", "shared_mistakes", "week_three"]

_THREE: Final = 3
"""Nobody works on more in a week."""
_SHARED: Final = 0.5
"""Half of a team doesn't make the same mistake by chance: what they all go by is missing or wrong."""
_SHARED_LEAST: Final = 2


@dataclass(frozen=True, slots=True)
class Priority:
    """A recurring mistake or a standing loss, and what it costs a lap."""

    what: PriorityKind
    corner: str
    kind: str
    cost_us: float


@dataclass(frozen=True, slots=True)
class SharedMistake:
    """A recurring mistake that many make.

    Attributes:
        drivers: who makes it.
        of: how many drove.
    """

    corner: str
    kind: str
    drivers: tuple[str, ...]
    of: int


def costs_of(recurring: Iterable[Mistake], standing: Iterable[StandingLoss]) -> dict[str, float]:
    """What recurring mistakes and standing losses cost a lap, in microseconds, by corner."""
    out: dict[str, float] = defaultdict(float)
    for item in recurring:
        out[item.corner] += item.cost_us
    for loss in standing:
        out[loss.corner] += loss.loss_us
    return dict(out)


def week_three(
    recurring: Iterable[Mistake], trends: Mapping[tuple[str, str], Trend], standing: Iterable[StandingLoss]
) -> list[Priority]:
    """What there is most to gain from; never more than three. A closed mistake is worth no work any more.

    Args:
        trends: of the mistakes, by corner and kind.
    """
    items = [
        Priority("mistake", item.corner, item.kind, item.cost_us)
        for item in recurring
        if not trends[item.corner, item.kind].closed
    ]
    items += [Priority("standing", loss.corner, loss.kind, loss.loss_us) for loss in standing]
    return sorted(items, key=lambda item: (-item.cost_us, item.corner, item.kind))[:_THREE]


def shared_mistakes(clinics: Mapping[str, Clinic], driven: Sequence[str]) -> list[SharedMistake]:
    """Mistakes of half of the team, two drivers at least.

    Args:
        clinics: by driver.
        driven: who drove enough to make mistakes at all.
    """
    who: dict[tuple[str, str], list[str]] = defaultdict(list)
    for name in driven:
        for item in clinics[name].recurring:
            who[item.corner, item.kind].append(name)
    enough = max(_SHARED_LEAST, _SHARED * len(driven))
    return [
        SharedMistake(*key, tuple(names), len(driven)) for key, names in sorted(who.items()) if len(names) >= enough
    ]
