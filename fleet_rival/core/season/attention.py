"""What a manager must decide or chase now: a short list, the most pressing first."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Final

from fleet_rival.core.season.clashes import Clash
from fleet_rival.core.season.conditions import Difference
from fleet_rival.core.settings import Settings

__all__ = ["KINDS", "EntryFacts", "Need", "WeekFacts", "concerns", "needs"]

KINDS: Final = (
    "two_starts",
    "rig_taken",
    "no_car",
    "ask_tow",
    "ask_damage",
    "ask_incident",
    "not_offered",
    "no_laps",
    "no_entries",
    "no_start",
    "choose_start",
    "no_track",
    "no_time",
    "rig_closed",
    "conditions",
    "no_references",
    "no_target",
)
"""What a need can be about, the most pressing first where the time left is alike."""
_COMING: Final = timedelta(days=7)
"""Weeks that begin later than this need nothing yet."""
_NEAR: Final = timedelta(days=3)
"""Weeks that begin later than this need a track and drivers, not yet the rest."""


@dataclass(frozen=True, slots=True)
class EntryFacts:
    """A driver in a week, as far as needs are concerned."""

    key: str
    driver: str
    laps: int
    starts: tuple[datetime, ...]
    clashes: tuple[Clash, ...] = ()
    differences: tuple[Difference, ...] = ()
    """Between the conditions of this driver's practice and the race's."""
    asked: frozenset[str] = frozenset()
    """Kinds of questions that laps raise and only a person can answer: `tow`, `damage`, `incident`."""


@dataclass(frozen=True, slots=True)
class WeekFacts:
    """A series' week, as far as needs are concerned."""

    key: str
    begins: datetime
    ends: datetime
    offered: tuple[datetime, ...]
    has_combination: bool
    """Whether layout and car are both known, so that laps can be put in."""
    has_target: bool
    entries: tuple[EntryFacts, ...]
    unread: int = 0
    """Corners without a confirmed braking reference, where the track book has been begun."""


@dataclass(frozen=True, slots=True)
class Need:
    """One thing to decide or to chase."""

    kind: str
    week: str
    due: datetime
    """When it will be too late."""
    drivers: tuple[str, ...] = ()
    entries: tuple[str, ...] = ()
    differences: tuple[Difference, ...] = ()


def concerns(begins: datetime, ends: datetime, now: datetime) -> bool:
    """Whether a week can need anything yet: it runs, or begins within seven days.

    >>> monday = datetime(2031, 3, 3)
    >>> concerns(monday, monday + timedelta(days=7), monday - timedelta(days=6))
    True
    """
    return ends > now and begins <= now + _COMING


def needs(weeks: Sequence[WeekFacts], now: datetime, settings: Settings) -> tuple[Need, ...]:
    """Everything that needs somebody now: of weeks that run or begin within seven days. Drivers with the same need
    share one.

    Args:
        settings: `chase_days` says how long before a start somebody without laps is pointed out.
    """
    out: list[Need] = []
    for week in weeks:
        if concerns(week.begins, week.ends, now):
            out += _of_week(week, now, settings)
    out = _told_once(out)
    return tuple(
        sorted(
            out,
            key=lambda need: (need.due > now + timedelta(days=settings.chase_days), KINDS.index(need.kind), need.due),
        )
    )


def _told_once(found: Sequence[Need]) -> list[Need]:
    """A clash is of several weeks at once and is told at the first of them: of a driver once, of rigs with all who
    are on them.
    """
    out: dict[tuple[str, ...], Need] = {}
    for need in sorted(found, key=lambda need: need.due):
        key = {"two_starts": (need.kind, *need.drivers), "rig_taken": (need.kind,)}.get(
            need.kind, (need.kind, need.week)
        )
        first = out.setdefault(key, need)
        if first is not need:
            out[key] = replace(
                first,
                drivers=tuple(dict.fromkeys((*first.drivers, *need.drivers))),
                entries=tuple(dict.fromkeys((*first.entries, *need.entries))),
            )
    return list(out.values())


def _of_week(week: WeekFacts, now: datetime, settings: Settings) -> list[Need]:
    running = week.begins <= now
    last_start = max(week.offered, default=week.ends)
    if not week.has_combination:
        return [Need("no_track", week.key, week.begins if not running else last_start)]
    if not week.entries:
        return [Need("no_entries", week.key, last_start)]
    if week.begins > now + _NEAR:
        return []
    out = [] if week.has_target else [Need("no_target", week.key, _due(week, now))]
    if week.unread:
        out.append(Need("no_references", week.key, _due(week, now)))
    found: dict[str, list[tuple[EntryFacts, datetime]]] = defaultdict(list)
    for entry in week.entries:
        ahead = [start for start in entry.starts if start > now]
        due = min(ahead, default=last_start)
        over = bool(entry.starts) and not ahead
        for clash in entry.clashes:
            # What is over can't be mended.
            if clash.is_ahead(now):
                found[clash.kind].append((entry, clash.start or due))
        if not entry.starts and week.offered and not any(clash.kind == "no_start" for clash in entry.clashes):
            found["choose_start"].append((entry, due))
        if not entry.laps and running and not over and due - now <= timedelta(days=settings.chase_days):
            found["no_laps"].append((entry, due))
        for kind in sorted(entry.asked):
            found[f"ask_{kind}"].append((entry, due))
        if running and not over and any(item.matters for item in entry.differences):
            found["conditions"].append((entry, due))
    for kind, items in found.items():
        drivers = tuple(dict.fromkeys(entry.driver for entry, _ in items))
        matters = {(item.what, item.race): item for entry, _ in items for item in entry.differences if item.matters}
        out.append(
            Need(
                kind,
                week.key,
                min(due for _, due in items),
                drivers,
                tuple(dict.fromkeys(entry.key for entry, _ in items)),
                tuple(matters.values()) if kind == "conditions" else (),
            )
        )
    return out


def _due(week: WeekFacts, now: datetime) -> datetime:
    """The first start that somebody drives, else the week's end."""
    return min((start for entry in week.entries for start in entry.starts if start > now), default=week.ends)
