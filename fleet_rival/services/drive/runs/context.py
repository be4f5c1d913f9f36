"""A run's context between what was declared, what its laps say, and the core's value."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any, Final

from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.core.runs.context import BadContext, RunContext, check_context, read_options
from fleet_rival.core.track import Track
from fleet_rival.core.words import COMPANIES, PURPOSES, SESSION_KINDS
from fleet_rival.db.tables import Lap, Run
from fleet_rival.services.shared.errors import Refused

__all__ = ["FIELDS", "context_of", "read_context", "said_by_laps", "with_context", "write_context", "write_to_laps"]

FIELDS: Final = (
    *(
        "session_kind",
        "purpose",
        "tyre_set",
        "compound",
        "tyre_age",
        "fuel_l",
        "energy_kwh",
        "setup",
        "settings",
        "assists",
        "company",
    ),
    *("official", "options", "watch"),
)
_OF_LAPS: Final = ("session_kind", "purpose", "tyre_set", "compound", "setup", "assists", "company", "options")
"""What each lap of the run says alike."""
_AT_THE_START: Final = ("fuel_l", "energy_kwh")
"""What only the first lap says, since it is used up."""


def context_of(row: Run) -> RunContext:
    """What was declared."""
    values = {name: getattr(row, name) for name in FIELDS if name not in ("options", "watch")}
    return RunContext(**values, options=_options(row.options), watch=tuple(row.watch))


def said_by_laps(laps: Sequence[Lap]) -> RunContext:
    """What the laps of a run say of it, the first that says something; for a run that nobody declared."""

    def first(name: str) -> Any:
        return next((value for lap in laps if (value := getattr(lap, name)) is not None), None)

    values = {
        name: first(name)
        for name in ("purpose", "tyre_set", "compound", "tyre_age", "setup", "assists", "company", *_AT_THE_START)
    }
    return RunContext(session_kind=first("session_kind") or "practice", **values, options=_options(first("options")))


def read_context(values: Mapping[str, Any], track: Track, session: Any = None) -> RunContext:
    """A context from what a form sent: `options` as text.

    Raises:
        Refused: something that can't be.
    """
    try:
        options = read_options(values.get("options") or "", [part.code for part in track.segment_parts])
        watch = tuple(text.strip()[:200] for text in values.get("watch") or () if text.strip())
        settings = {
            " ".join(name.split())[:120]: " ".join(value.split())[:60]
            for name, value in (values.get("settings") or {}).items()
            if value.strip()
        }
        context = RunContext(
            **{
                name: _clean(values.get(name))
                for name in FIELDS
                if name not in ("options", "watch", "settings", "session_kind")
            },
            session_kind=values.get("session_kind") or "practice",
            settings=settings,
            options=options,
            watch=watch,
        )
        check_context(context)
    except BadContext as error:
        raise Refused(str(error)) from error
    if (
        context.session_kind not in SESSION_KINDS
        or context.purpose not in (None, *PURPOSES)
        or context.company not in (None, *COMPANIES)
    ):
        raise Refused("The kind of session, the purpose or the company is none that there is.")
    return context


def write_context(row: Run, context: RunContext) -> None:
    """Put a context into a declared run's row."""
    for name in FIELDS:
        value = getattr(context, name)
        wanted: Any = (
            _options_text(value)
            if name == "options"
            else list(value)
            if name == "watch"
            else dict(value)
            if name == "settings"
            else value
        )
        if getattr(row, name) != wanted:
            setattr(row, name, wanted)


def with_context(lap: CoreLap, context: RunContext, place: int) -> CoreLap:
    """A lap that comes into a declared run: what it doesn't say itself is as declared.

    Args:
        place: of the lap in the run, from 0.
    """
    values: dict[str, Any] = {}
    for name in ("purpose", "tyre_set", "compound", "setup", "assists", "company"):
        if getattr(lap, name) is None:
            values[name] = getattr(context, name)
    if lap.session_kind == "practice":
        values["session_kind"] = context.session_kind
    if not lap.options:
        values["options"] = context.options
    if lap.tyre_age is None and context.tyre_age is not None:
        values["tyre_age"] = context.tyre_age + place
    if place == 0:
        for name in _AT_THE_START:
            if getattr(lap, name) is None:
                values[name] = getattr(context, name)
    return replace(lap, **values)


def write_to_laps(laps: Sequence[Lap], before: RunContext, after: RunContext) -> int:
    """What a person says of a run is a fact of its laps: what was changed, and what they don't say.

    Args:
        before: what was said of the run until now; where `after` differs from it, laps are written over.

    Returns:
        How many laps were changed.
    """
    changed = 0
    for place, lap in enumerate(laps):
        values: dict[str, Any] = {}
        for name in _OF_LAPS:
            new, old = getattr(after, name), getattr(before, name)
            if name == "options":
                new, old = _options_text(new), _options_text(old)
            there = getattr(lap, name)
            if new != old or (there is None and new is not None):
                values[name] = new
        if after.tyre_age != before.tyre_age or (lap.tyre_age is None and after.tyre_age is not None):
            values["tyre_age"] = None if after.tyre_age is None else after.tyre_age + place
        if place == 0:
            for name in _AT_THE_START:
                new = getattr(after, name)
                if new != getattr(before, name) or (getattr(lap, name) is None and new is not None):
                    values[name] = new
        values = {name: value for name, value in values.items() if getattr(lap, name) != value}
        for name, value in values.items():
            setattr(lap, name, value)
        if values:
            lap.version += 1
            changed += 1
    return changed


def _clean(value: Any) -> Any:
    if isinstance(value, str):
        return " ".join(value.split())[:120] or None
    return value


def _options(text: str | None) -> tuple[tuple[str, str], ...]:
    return tuple((where, label) for where, _, label in (token.partition("=") for token in (text or "").split()))


def _options_text(options: Sequence[tuple[str, str]]) -> str | None:
    return " ".join(f"{where}={label}" for where, label in options) or None
