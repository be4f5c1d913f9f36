"""What stands in a simulated team's track book: entries as people would write them."""

from dataclasses import dataclass, field
from typing import Any, Final

__all__ = [
    "EC2",
    "OLD_RULES",
    "VOLANT",
    "Book",
    "Note",
    "Question",
    "Written",
    "kerb",
    "lane",
    "limit",
    "passing",
    "trait",
]

RULES: Final = "two wheels inside the line"


OLD_RULES: Final = "all wheels inside the line"


@dataclass(frozen=True, slots=True)
class Written:
    """A reference, and who wrote it."""

    corner: str
    point: str
    kind: str
    thing: str
    values: dict[str, Any] = field(default_factory=dict)
    at: tuple[str, float] | None = None
    """Where it lies: from the corner's `start`, `apex` or `end`, so many metres on."""
    proposed: bool = False
    """Not confirmed yet."""
    by_driver: bool = False
    """By the driver who can sign in, else by the coach."""
    own: bool = False
    """For that driver alone."""
    car: str | None = None


@dataclass(frozen=True, slots=True)
class Note:
    """What is written of a corner, in the words of the track book."""

    corner: str
    values: dict[str, Any]


@dataclass(frozen=True, slots=True)
class Question:
    """Something that was asked, and perhaps answered."""

    corner: str | None
    text: str
    answer: str | None = None


@dataclass(frozen=True, slots=True)
class Book:
    """A layout's book."""

    track: str
    layout: str
    notes: tuple[Note, ...]
    references: tuple[Written, ...]
    questions: tuple[Question, ...]
    pit_entry: str | None = None
    pit_exit: str | None = None


def limit(where: str, cost: str = "strike", part: str = "two wheels", rules: str = RULES) -> dict[str, Any]:
    return {"where": where, "part": part, "cost": cost, "rules": rules}


def kerb(where: str, use: str, why: str = "") -> dict[str, Any]:
    return {"where": where, "use": use, "why": why}


def trait(kind: str, where: str = "") -> dict[str, Any]:
    return {"kind": kind, "where": where}


def passing(side: str, risk: str, wrong: str = "", yield_when: str = "") -> dict[str, Any]:
    return {"side": side, "risk": risk, "wrong": wrong, "yield_when": yield_when}


def lane(phase: str, lane: str, where: str = "", why: str = "") -> dict[str, Any]:
    return {"phase": phase, "lane": lane, "where": where, "why": why}


EC2: Final = "Wrenfield EC-2"


VOLANT: Final = "Ostelind Volant"
