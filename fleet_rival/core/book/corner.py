"""What is written down of a corner, in the words that the track book knows."""

from dataclasses import dataclass, replace

from fleet_rival.core.words import (
    Cost,
    KerbUse,
    LaneSide,
    Level,
    PassingSide,
    RacePhase,
    Risk,
    TraitKind,
)

__all__ = [
    "CornerNotes",
    "Kerb",
    "Lane",
    "Limit",
    "Passing",
    "Trait",
    "with_codes",
]


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

    phase: RacePhase
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
    return replace(
        notes, code=codes.get(notes.code, notes.code), given_up_for=codes.get(notes.given_up_for, notes.given_up_for)
    )
