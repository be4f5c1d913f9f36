"""Setups as sheets of named values: what differs between two, what speaks against one for a run, and how they are
written to files.
"""

from dataclasses import dataclass
from typing import Final

from fleet_rival.core.runs.context import RunContext
from fleet_rival.core.words import SETUP_PURPOSES

__all__ = ["BadSetup", "Difference", "SetupSheet", "SetupValue", "differences", "label_of", "warnings_of"]

_LONG_RUNS: Final = frozenset({"long", "rehearsal"})


class BadSetup(ValueError):
    """A sheet that contradicts itself; the message says where."""


@dataclass(frozen=True, slots=True)
class SetupValue:
    """One value of a sheet.

    Attributes:
        name: as the car calls it.
        value: a number or a word, as it is set.
        unit: None for words and clicks.
        corner: where it is set in the car while driving; None: for the whole lap.
    """

    name: str
    value: str
    unit: str | None = None
    corner: str | None = None

    @property
    def number(self) -> float | None:
        """The value as a number, where it is one."""
        try:
            return float(self.value.replace(",", ".").replace("−", "-"))
        except ValueError:
            return None


@dataclass(frozen=True, slots=True)
class SetupSheet:
    """A version of a setup."""

    name: str
    number: int
    values: tuple[SetupValue, ...]
    purpose: str = "any"
    assists: str | None = None
    """The assists that it assumes."""
    reason: str | None = None

    def __post_init__(self) -> None:
        if self.purpose not in SETUP_PURPOSES:
            raise BadSetup(f"{self.purpose} is not what a setup can be for")
        seen: set[tuple[str, str | None]] = set()
        for item in self.values:
            if not item.name.strip() or not item.value.strip():
                raise BadSetup("each line needs a name and a value")
            if (item.name, item.corner) in seen:
                raise BadSetup(f"{item.name}{f' at {item.corner}' if item.corner else ''} stands there twice")
            seen.add((item.name, item.corner))


@dataclass(frozen=True, slots=True)
class Difference:
    """What one sheet has otherwise than another.

    Attributes:
        unit: of both; None where they differ, and stand beside the values then.
        before, after: None where the sheet doesn't have it.
        by: after less before, of numbers in one unit.
    """

    name: str
    corner: str | None
    unit: str | None
    before: str | None
    after: str | None
    by: float | None


def label_of(name: str, number: int) -> str:
    """How runs name a version: `Harbour v3`.

    >>> label_of("Harbour", 3)
    'Harbour v3'
    """
    return f"{name} v{number}"


def differences(first: SetupSheet, second: SetupSheet) -> list[Difference]:
    """What differs, in the order of the first sheet and then of the second."""
    one = {(item.name, item.corner): item for item in first.values}
    other = {(item.name, item.corner): item for item in second.values}
    out = []
    for key in [*one, *(key for key in other if key not in one)]:
        before, after = one.get(key), other.get(key)
        if before and after and (before.value, before.unit) == (after.value, after.unit):
            continue
        units = {item.unit for item in (before, after) if item}
        unit = units.pop() if len(units) == 1 else None
        numbers = [item.number for item in (before, after) if item and not units]
        by = (
            round(numbers[1] - numbers[0], 6)
            if len(numbers) == 2 and numbers[0] is not None and numbers[1] is not None
            else None
        )
        out.append(Difference(*key, unit, _told(before, unit), _told(after, unit), by))
    return out


def _told(value: SetupValue | None, unit: str | None) -> str | None:
    if value is None:
        return None
    return value.value if value.unit == unit or not value.unit else f"{value.value} {value.unit}"


def warnings_of(sheet: SetupSheet, context: RunContext, wetness: str | None = None) -> list[str]:
    """What speaks against driving a run with a sheet, as sentences.

    Args:
        wetness: of the session, where it is known.
    """
    out = []
    race = context.session_kind == "race" or context.purpose in _LONG_RUNS
    if sheet.purpose == "qualifying" and race:
        out.append(
            f"{label_of(sheet.name, sheet.number)} is for qualifying only: it may not last a race, or not be allowed "
            "in one."
        )
    if sheet.purpose == "race" and (context.session_kind == "qualifying" or context.purpose == "qualifying"):
        out.append(f"{label_of(sheet.name, sheet.number)} is a race setup: qualifying may have a quicker one.")
    if (
        wetness is not None
        and (sheet.purpose == "wet") != (wetness == "wet")
        and (sheet.purpose == "wet" or wetness == "wet")
    ):
        out.append(
            f"{label_of(sheet.name, sheet.number)} is {'' if sheet.purpose == 'wet' else 'not '}for the wet, and the "
            f"session is {wetness}."
        )
    if sheet.assists and context.assists and sheet.assists != context.assists:
        out.append(
            f"{label_of(sheet.name, sheet.number)} assumes the assists {sheet.assists}; declared are {context.assists}."
        )
    return out
