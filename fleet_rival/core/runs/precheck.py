"""The check before a run: only what changed since the last one, and what no telemetry can tell afterwards."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from fleet_rival.core.runs.context import RunContext, changes_since

__all__ = ["Check", "pre_drive_check"]


@dataclass(frozen=True, slots=True)
class Check:
    """One thing to look at before driving off."""

    key: str
    """Stable, e.g. `limiter` or `setting:Brake bias`."""
    why: str
    """`changed`, `unseen` (no telemetry can tell), or `first` (nothing to compare with)."""
    before: object = None
    after: object = None


_ALWAYS: Final = ("limiter",)
"""A limiter that isn't bound, or is still on, costs the run and shows only when it is too late."""
_ORDER: Final = ("limiter", "tyre_set", "compound", "tyre_age", "fuel_l", "energy_kwh", "setup", "assists", "official")


def pre_drive_check(context: RunContext, last: RunContext | None, in_car: Sequence[str] = ()) -> tuple[Check, ...]:
    """What to tick off before a run.

    - The pit limiter always: nothing tells it beforehand.
    - The tyre set, and official conditions, whenever they are declared: no telemetry knows which set is on, or what the
      room was set to.
    - Fuel, energy, setup, assists and each setting in the car only where they differ from the run before, or where
      there was none.

    Args:
        context: as declared.
        last: the driver's run before in this combination.
        in_car: names of the settings that the car has, in their order.

    >>> [item.key for item in pre_drive_check(RunContext(compound="soft"), RunContext(compound="hard"))]
    ['limiter', 'compound']
    """
    changed = {change.what: change for change in changes_since(last, context)} if last is not None else {}
    out = [Check(key, "unseen") for key in _ALWAYS]
    for name in _ORDER[1:]:
        value = getattr(context, name)
        if name == "official":
            if value:
                out.append(Check(name, "unseen", after=value))
            continue
        if value is None:
            continue
        old = getattr(last, name) if last is not None else None
        if name == "tyre_set":
            out.append(Check(name, "changed" if name in changed else "unseen", old, value))
        elif name in ("compound", "tyre_age") and context.tyre_set is not None:
            continue  # goes with the set
        elif last is None or old is None:
            out.append(Check(name, "first", None, value))
        # Fuel burns and tyres age: what is declared anew is filled or fitted anew.
        elif name in changed:
            out.append(Check(name, "changed", old, value))
    named = [*in_car, *(name for name in context.settings if name not in in_car)]
    for name in named:
        if name not in context.settings:
            continue
        key = f"setting:{name}"
        if last is None or name not in last.settings:
            out.append(Check(key, "first", None, context.settings[name]))
        elif key in changed:
            out.append(Check(key, "changed", last.settings[name], context.settings[name]))
    return tuple(out)
