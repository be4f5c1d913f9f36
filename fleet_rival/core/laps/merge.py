"""Laps that come to laps that are there already: which are new, which are the same, which differ.

A session's label is local to its file, so "session 1" of two files may be two sessions. Where start times are known
they
decide; where they aren't, a session is taken for the same when a lap in it is, and a person can say otherwise.
"""

from collections import defaultdict
from collections.abc import Sequence, Set
from dataclasses import dataclass, fields, replace
from fractions import Fraction

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.statistics import median

__all__ = ["Difference", "Merge", "OtherPace", "SessionMatch", "merge", "other_pace", "unknown"]

_ALIKE = Fraction(13, 10)
"""Paces further apart than this factor are hardly of one car on one track in the same weather."""
_TELLING_LAPS = 3


@dataclass(frozen=True, slots=True)
class SessionMatch:
    """Where a session of the file goes."""

    label: str
    """As the file has it."""
    stored_as: str
    there_already: bool
    certain: bool
    """False where neither start times nor an equal lap tell whether it is the same session."""


@dataclass(frozen=True, slots=True)
class Difference:
    """A lap that is there already with other facts. Indices are positions in the inputs of `merge`."""

    incoming: int
    stored: int
    fields: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Merge:
    """Incoming laps sorted by what is to be done with them, under the labels that they will be stored with."""

    laps: tuple[Lap, ...]
    new: tuple[int, ...]
    same: tuple[int, ...]
    different: tuple[Difference, ...]
    sessions: tuple[SessionMatch, ...]


_SAID_LATER = frozenset({"said"})
"""What people say about a lap that is there; no file says it."""


def merge(stored: Sequence[Lap], incoming: Sequence[Lap], apart: Set[str] = frozenset()) -> Merge:
    """Compare a file's laps with those that are there.

    Args:
        stored: laps of the combination; no identity twice.
        incoming: laps of the file, runs told apart; no identity twice.
        apart: labels of the file's sessions that a person declared to be other sessions than those of the same label.

    >>> from fleet_rival.core.example import LAPS
    >>> len(merge(LAPS[:3], LAPS[:5]).laps)
    5
    """
    by_session: dict[str, dict[tuple[str, int | None, int], int]] = defaultdict(dict)
    for index, lap in enumerate(stored):
        by_session[lap.session][lap.driver, lap.run, lap.number] = index
    of_file: dict[str, list[Lap]] = defaultdict(list)
    for lap in incoming:
        of_file[lap.session].append(lap)
    matches: dict[str, SessionMatch] = {}
    given = set(by_session) | set(of_file)
    for label, laps in of_file.items():
        matches[label] = _match_session(label, laps, stored, by_session, given, apart=label in apart)
        given.add(matches[label].stored_as)
    renamed = tuple(
        lap if (name := matches[lap.session].stored_as) == lap.session else replace(lap, session=name)
        for lap in incoming
    )
    new: list[int] = []
    same: list[int] = []
    different: list[Difference] = []
    for index, lap in enumerate(renamed):
        place = by_session.get(lap.session, {}).get((lap.driver, lap.run, lap.number))
        if place is None:
            new.append(index)
        elif changed := _changed_fields(stored[place], lap):
            different.append(Difference(index, place, changed))
        else:
            same.append(index)
    return Merge(renamed, tuple(new), tuple(same), tuple(different), tuple(matches.values()))


def _match_session(
    label: str,
    laps: Sequence[Lap],
    stored: Sequence[Lap],
    by_session: dict[str, dict[tuple[str, int | None, int], int]],
    given: set[str],
    *,
    apart: bool,
) -> SessionMatch:
    candidates = [label] + [name for name in by_session if name.startswith(f"{label} (")]
    uncertain: str | None = None
    for name in candidates if not apart else []:
        there = by_session.get(name)
        if there is None:
            continue
        pairs = [
            (lap, stored[place]) for lap in laps if (place := there.get((lap.driver, lap.run, lap.number))) is not None
        ]
        dated = [(lap, old) for lap, old in pairs if lap.started_at is not None and old.started_at is not None]
        if any(lap.started_at == old.started_at for lap, old in dated):
            return SessionMatch(label, name, there_already=True, certain=True)
        if dated:
            continue
        if any(lap.time_us == old.time_us for lap, old in pairs):
            return SessionMatch(label, name, there_already=True, certain=True)
        if uncertain is None and _may_be_one(laps, [stored[place] for place in there.values()]):
            uncertain = name
    if uncertain is not None:
        return SessionMatch(label, uncertain, there_already=True, certain=False)
    if label not in by_session:
        return SessionMatch(label, label, there_already=False, certain=True)
    number = 2
    while f"{label} ({number})" in given:
        number += 1
    return SessionMatch(label, f"{label} ({number})", there_already=False, certain=True)


def _may_be_one(laps: Sequence[Lap], there: Sequence[Lap]) -> bool:
    """Whether start times, where both sides have some, allow these to be one session: within half a day of each
    other.
    """
    mine = [lap.started_at for lap in laps if lap.started_at is not None]
    theirs = [lap.started_at for lap in there if lap.started_at is not None]
    if not mine or not theirs:
        return True
    return max(min(mine) - max(theirs), min(theirs) - max(mine)).total_seconds() < 12 * 3600


def _changed_fields(old: Lap, new: Lap) -> tuple[str, ...]:
    return tuple(
        field.name
        for field in fields(Lap)
        if field.name not in _SAID_LATER
        and not unknown(new, field.name)
        and getattr(old, field.name) != getattr(new, field.name)
    )


def unknown(lap: Lap, field: str) -> bool:
    """Whether a lap says nothing about something: what a run was declared to be is no difference to a file that
    doesn't say it.

    >>> from fleet_rival.core.example import lap
    >>> unknown(lap(3), "compound")
    True
    """
    value = getattr(lap, field)
    if field == "session_kind":
        return bool(value == "practice")
    return value is None or (field in ("options", "mistakes", "sectors", "segments") and not value)


@dataclass(frozen=True, slots=True)
class OtherPace:
    """Median flying laps that are too far apart for one combination, in microseconds."""

    incoming_us: int
    stored_us: int


def other_pace(stored: Sequence[Lap], incoming: Sequence[Lap]) -> OtherPace | None:
    """Whether a file's laps look as if they were driven somewhere else; None where they don't, or too few laps tell."""
    medians = []
    for laps in (incoming, stored):
        times = [lap.time_us for lap in laps if lap.kind == "flying"]
        if len(times) < _TELLING_LAPS:
            return None
        medians.append(median(times))
    slower, faster = max(medians), min(medians)
    return OtherPace(round(medians[0]), round(medians[1])) if slower > faster * _ALIKE else None
