"""What is declared of a run before it starts, and what changed since the run before."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields
from typing import Any, Final

__all__ = [
    "MOST_TO_WATCH",
    "BadContext",
    "Change",
    "RunContext",
    "changes_since",
    "check_context",
    "deliberate",
    "read_options",
]

MOST_TO_WATCH: Final = 3
"""Things to watch in a run; more can't be kept in mind."""
_OPTION = re.compile(r"([^\s=]+)\s*=\s*(\S.*)")


class BadContext(ValueError):
    """A declaration that can't be; the message is a sentence."""


@dataclass(frozen=True, slots=True)
class RunContext:
    """What is said of a run. `None` is unknown; quantities are litres, kilowatt hours and laps."""

    session_kind: str = "practice"
    purpose: str | None = None
    tyre_set: str | None = None
    compound: str | None = None
    tyre_age: float | None = None
    """Laps that the set had done when the run started."""
    fuel_l: float | None = None
    energy_kwh: float | None = None
    setup: str | None = None
    settings: Mapping[str, str] = field(default_factory=dict)
    """In the car, by the names that the car's page gives them."""
    assists: str | None = None
    company: str | None = None
    official: bool | None = None
    """Whether the run is driven in the conditions of the race."""
    options: tuple[tuple[str, str], ...] = ()
    """Techniques to try, by corner or `lap`."""
    watch: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Change:
    """One thing that is other than in the run before."""

    what: str
    """A field of `RunContext`, or `setting:` and a setting's name."""
    before: Any
    after: Any


_DELIBERATE: Final = frozenset({"compound", "setup", "assists", "options"})
"""What somebody changes to find out what it does. Fuel, tyre age and company change by themselves."""
_NOT_COMPARED: Final = frozenset({"purpose", "session_kind", "watch", "settings"})


def changes_since(before: RunContext, after: RunContext) -> tuple[Change, ...]:
    """What is other than in the run before, in the order in which it is declared; what is unknown in either is no
    change.

    >>> [change.what for change in changes_since(RunContext(compound="soft"), RunContext(compound="hard"))]
    ['compound']
    """
    out: list[Change] = []
    for item in fields(RunContext):
        if item.name == "settings":
            names = [*before.settings, *(name for name in after.settings if name not in before.settings)]
            for name in names:
                old, new = before.settings.get(name), after.settings.get(name)
                if old != new and old is not None and new is not None:
                    out.append(Change(f"setting:{name}", old, new))
        if item.name in _NOT_COMPARED:
            continue
        old, new = getattr(before, item.name), getattr(after, item.name)
        if old != new and (item.name == "options" or (old is not None and new is not None)):
            out.append(Change(item.name, old, new))
    return tuple(out)


def deliberate(changes: Sequence[Change]) -> tuple[Change, ...]:
    """Those changes whose effect somebody may want to read off the laps. More than one of them can't be told apart.

    >>> changes = changes_since(RunContext(setup="A", fuel_l=20), RunContext(setup="B", fuel_l=30))
    >>> [change.what for change in deliberate(changes)]
    ['setup']
    """
    return tuple(change for change in changes if change.what in _DELIBERATE or change.what.startswith("setting:"))


def read_options(text: str, corner_codes: Sequence[str]) -> tuple[tuple[str, str], ...]:
    """Read options as people write them: `T4 = third gear, lap = save`.

    Returns:
        Corner code or `lap`, and the label with hyphens for blanks, as lap files hold it.

    Raises:
        BadContext: a piece that is no option, or a corner that isn't there.

    >>> read_options("t4 = third gear, lap = save", ["T1", "T4"])
    (('T4', 'third-gear'), ('lap', 'save'))
    """
    codes = {code.casefold(): code for code in corner_codes}
    out: dict[str, str] = {}
    for piece in re.split(r"[,;\n]", text):
        if not piece.strip():
            continue
        found = _OPTION.fullmatch(piece.strip())
        if found is None:
            raise BadContext(f"“{piece.strip()}” is no option. Write a corner, = and what is tried: T4 = third gear.")
        where = found[1].casefold()
        if where != "lap" and where not in codes and where not in ("setup", "balance"):
            raise BadContext(
                f"This layout has no corner {found[1]}. Write one of its corners, or lap for the whole lap."
            )
        out[codes.get(where, where)] = re.sub(r"\s+", "-", found[2].strip())[:60]
    return tuple(out.items())


def check_context(context: RunContext) -> None:
    """Refuse what can't be.

    Raises:
        BadContext: as a sentence.

    >>> check_context(RunContext(fuel_l=-1))
    Traceback (most recent call last):
        ...
    fleet_rival.core.runs.context.BadContext: -1 l can't be.
    """
    if len(context.watch) > MOST_TO_WATCH:
        raise BadContext(f"Name at most {MOST_TO_WATCH} things to watch: more can't be kept in mind while driving.")
    for name, unit in (("tyre_age", "laps"), ("fuel_l", "l"), ("energy_kwh", "kWh")):
        value = getattr(context, name)
        if value is not None and not 0 <= value < 100_000:
            raise BadContext(f"{value:g} {unit} can't be.")
