"""What is written down of a corner, in the words that the track book knows."""

from dataclasses import dataclass, replace
from typing import Final, Literal, get_args

__all__ = [
    "COSTS",
    "KERB_USES",
    "LANES",
    "LEVELS",
    "PASSING_SIDES",
    "PHASES",
    "RISKS",
    "TRAITS",
    "CornerNotes",
    "Cost",
    "Kerb",
    "KerbUse",
    "Lane",
    "LaneSide",
    "Level",
    "Limit",
    "Passing",
    "PassingSide",
    "Phase",
    "Risk",
    "Trait",
    "TraitKind",
    "with_codes",
]

Level = Literal["high", "medium", "low"]
TraitKind = Literal["on-camber", "off-camber", "crest", "compression", "bump", "dirt", "grip", "blind", "flat"]
"""`grip` is a patch that holds better or worse than the rest; `flat` is a corner that is taken without a lift."""
KerbUse = Literal["use", "brush", "never"]
Cost = Literal["strike", "slow-down", "void", "nothing"]
"""What it costs to be found outside: a strike, time to be given back, the lap, or nothing."""
Risk = Literal["low", "medium", "high"]
PassingSide = Literal["left", "right", "either"]
Phase = Literal["start", "middle", "end"]
"""Of a race: its first laps, when the field is still together, its middle, its last laps."""
LaneSide = Literal["inside", "middle", "outside"]
LEVELS: Final[tuple[Level, ...]] = get_args(Level)
TRAITS: Final[tuple[TraitKind, ...]] = get_args(TraitKind)
KERB_USES: Final[tuple[KerbUse, ...]] = get_args(KerbUse)
COSTS: Final[tuple[Cost, ...]] = get_args(Cost)
RISKS: Final[tuple[Risk, ...]] = get_args(Risk)
PASSING_SIDES: Final[tuple[PassingSide, ...]] = get_args(PassingSide)
PHASES: Final[tuple[Phase, ...]] = get_args(Phase)
LANES: Final[tuple[LaneSide, ...]] = get_args(LaneSide)


@dataclass(frozen=True, slots=True)
class Trait:
    """Something about the road."""

    kind: TraitKind
    where: str = ""


@dataclass(frozen=True, slots=True)
class Kerb:
    """One piece of kerb."""

    where: str
    use: KerbUse
    why: str = ""


@dataclass(frozen=True, slots=True)
class Limit:
    """Where the track ends for the judges."""

    where: str
    part: str
    """Which part of the car counts, e.g. all four wheels."""
    cost: Cost
    rules: str = ""
    """The version of the rules that it was read in."""


@dataclass(frozen=True, slots=True)
class Passing:
    """How another car is passed here."""

    side: PassingSide
    risk: Risk
    wrong: str = ""
    """How it goes wrong."""
    yield_when: str = ""


@dataclass(frozen=True, slots=True)
class Lane:
    """Where one drives in a phase of the race, if not on the usual line."""

    phase: Phase
    lane: LaneSide
    where: str = ""
    """What one sees of it."""
    why: str = ""


@dataclass(frozen=True, slots=True)
class CornerNotes:
    """All that is written of a corner besides where it lies and what one goes by in it."""

    code: str
    other_names: tuple[str, ...] = ()
    move: str = ""
    """A name for corners that are one move."""
    given_up_for: str = ""
    """Code of the corner for which time is given up here."""
    importance: Level | None = None
    """What people say; None where the derived one stands."""
    traits: tuple[Trait, ...] = ()
    kerbs: tuple[Kerb, ...] = ()
    limits: tuple[Limit, ...] = ()
    passing: tuple[Passing, ...] = ()
    lanes: tuple[Lane, ...] = ()
    note: str = ""

    @property
    def is_flat(self) -> bool:
        """Whether it is taken without a lift."""
        return any(trait.kind == "flat" for trait in self.traits)


def with_codes(notes: CornerNotes, codes: dict[str, str]) -> CornerNotes:
    """The same notes after corners got other codes.

    Args:
        codes: from old to new.
    """
    return replace(notes, code=codes.get(notes.code, notes.code), given_up_for=codes.get(notes.given_up_for, notes.given_up_for))
