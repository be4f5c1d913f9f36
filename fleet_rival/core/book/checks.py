"""What should be seen to before the race: corners without a reference that lasts, notes that contradict each other,
limits nobody read.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations
from typing import Final

from fleet_rival.core.book.corner import CornerNotes
from fleet_rival.core.book.importance import Importance
from fleet_rival.core.book.references import Reference
from fleet_rival.core.words import BOOK_CHECKS, LEVELS, BookCheckKind

__all__ = ["Check", "checks", "needs_reference"]

_PEAKS_DIFFER_PCT: Final = 5.0
"""Brake peaks closer than this are one."""


@dataclass(frozen=True, slots=True)
class Check:
    """One thing to see to."""

    kind: BookCheckKind
    corner: str | None
    """None where it is about the pit lane."""
    other: str | None = None
    """The other corner that it is about."""
    references: tuple[str, ...] = ()
    """Keys of the references that it is about."""
    values: tuple[str, ...] = field(default=())
    """What the sentence needs: gears, lasting, versions of rules, numbers."""


def checks(
    notes: Sequence[CornerNotes],
    references: Sequence[Reference],
    importance: Mapping[str, Importance],
    car: str | None,
    *,
    rules: str | None = None,
    pit_exit_read: bool = True,
) -> list[Check]:
    """What is to be seen to with a car, the pit exit and then the most important corner first.

    Args:
        notes: of each corner, in the order of the track.
        car: whose values count beside landmarks; landmarks alone where None.
        rules: the version of the rules on limits that the race is driven by, where it is known.
        pit_exit_read: whether somebody wrote down how the pit exit goes, or the layout has none.
    """
    standing = [item for item in references if item.is_open and item.car in (None, car)]
    found = [
        *(check for note in notes for check in _of_corner(note, standing, rules)),
        *_two_gears(standing),
        *_harder(standing),
    ]
    if not pit_exit_read:
        found.append(Check("pit-exit", None))

    def order(check: Check) -> tuple[int, int, int]:
        if check.corner is None:
            # Everybody comes out of the pits, and on cold tyres: first of all.
            return (0, 0, BOOK_CHECKS.index(check.kind))
        at = importance[check.corner]
        return (LEVELS.index(at.level), at.rank, BOOK_CHECKS.index(check.kind))

    return sorted(found, key=order)


def needs_reference(notes: Sequence[CornerNotes], references: Sequence[Reference], car: str | None) -> list[str]:
    """Codes of corners that nobody can brake for by a confirmed reference."""
    standing = [item for item in references if item.is_open and item.car in (None, car)]
    return [note.code for note in notes if not note.is_flat and not _braking(note.code, standing)]


def _braking(code: str, standing: Sequence[Reference]) -> list[Reference]:
    """Confirmed references for everybody, with an object, at which a corner's braking or lift begins."""
    return [
        item
        for item in standing
        if item.corner == code
        and item.point in ("braking", "lift")
        and item.variant == "usual"
        and item.driver is None
        and item.state == "confirmed"
        and item.has_object
    ]


def _of_corner(note: CornerNotes, standing: Sequence[Reference], rules: str | None) -> Iterator[Check]:
    if not note.is_flat:
        confirmed = _braking(note.code, standing)
        if not confirmed:
            proposed = [
                item
                for item in standing
                if item.corner == note.code and item.point in ("braking", "lift") and item.driver is None
            ]
            keys = tuple(item.key for item in proposed if item.state == "proposed")
            yield Check("only-proposed", note.code, references=keys) if keys else Check("no-braking", note.code)
        elif all(item.lasts != "fixed" for item in confirmed):
            yield Check(
                "weak-braking",
                note.code,
                references=tuple(item.key for item in confirmed),
                values=tuple(dict.fromkeys(item.lasts for item in confirmed)),
            )
    if not note.limits:
        yield Check("limits-unknown", note.code)
    elif rules and all(limit.rules != rules for limit in note.limits):
        yield Check(
            "limits-old", note.code, values=(next((limit.rules for limit in note.limits if limit.rules), ""), rules)
        )


def _two_gears(standing: Sequence[Reference]) -> Iterator[Check]:
    """Two gears for one apex in one car: by corner once, however many notes say so."""
    seen: dict[str, list[Reference]] = {}
    for first, second in combinations([item for item in standing if item.point == "apex" and item.gear is not None], 2):
        alike = all(getattr(first, name) == getattr(second, name) for name in ("corner", "car", "variant"))
        # A driver's own gear doesn't contradict the car's.
        if alike and first.driver == second.driver and first.gear != second.gear:
            seen.setdefault(first.corner, []).extend((first, second))
    for corner, items in seen.items():
        gears = sorted({item.gear for item in items if item.gear is not None})
        yield Check(
            "two-gears",
            corner,
            references=tuple(dict.fromkeys(item.key for item in items)),
            values=tuple(map(str, gears)),
        )


def _harder(standing: Sequence[Reference]) -> Iterator[Check]:
    """Braking is said to be harder here than there, and somebody else says otherwise."""
    said = [item for item in standing if item.harder_than]
    told: set[frozenset[str]] = set()
    for first, second in combinations(said, 2):
        same = first.car == second.car and first.variant == second.variant and first.driver == second.driver
        pair = frozenset((first.corner, second.corner))
        if same and first.harder_than == second.corner and second.harder_than == first.corner and pair not in told:
            told.add(pair)
            yield Check("harder", first.corner, second.corner, (first.key, second.key))
    for item in said:
        here = [item] if item.brake_peak_pct is not None else _peaks(standing, item, item.corner)
        for one, other in ((one, other) for one in here for other in _peaks(standing, item, item.harder_than)):
            peaks = (one.brake_peak_pct or 0.0, other.brake_peak_pct or 0.0)
            pair = frozenset((item.corner, item.harder_than))
            if peaks[0] <= peaks[1] - _PEAKS_DIFFER_PCT and pair not in told:
                told.add(pair)
                keys = tuple(dict.fromkeys((item.key, one.key, other.key)))
                yield Check("harder", item.corner, item.harder_than, keys, tuple(f"{peak:g}" for peak in peaks))


def _peaks(standing: Sequence[Reference], like: Reference, corner: str) -> list[Reference]:
    return [
        item
        for item in standing
        if item.corner == corner
        and item.brake_peak_pct is not None
        and item.variant == like.variant
        and item.driver == like.driver
        and (like.car is None or item.car == like.car)
    ]
