"""Identity and order: which rows are the same lap, which run a lap belongs to, which lap follows which."""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from fleet_rival.core.laps.lap import Lap, natural_key

__all__ = ["Identified", "Repeat", "following", "identify", "in_order"]

_TELLING_PARTS = 3
"""Part times from which two equal laps are one."""


@dataclass(frozen=True, slots=True)
class Repeat:
    """A row that repeats the identity of an earlier one. Indices are positions in the input."""

    index: int
    repeats: int
    differs: bool


@dataclass(frozen=True, slots=True)
class Identified:
    """Laps with their runs told apart, each with its position in the input, and the rows that repeat one of them."""

    laps: tuple[tuple[int, Lap], ...]
    repeats: tuple[Repeat, ...]


def identify(laps: Sequence[Lap]) -> Identified:
    """Tell runs apart where the file doesn't name them, and find the rows that repeat a lap.

    A run starts at an out lap and after an in lap; laps are taken in the order of `started_at` where all have it, else
    of their numbers, and where those restart within a session, in the order of the input.

    Args:
        laps: in the order of the file; `run` may be missing.

    Returns:
        Every lap once, in the order of the input, with its run; and the repeats, the earlier row staying.

    >>> from fleet_rival.core.example import LAPS
    >>> found = identify([*LAPS, LAPS[3]])
    >>> len(found.laps), len(found.repeats)
    (14, 1)
    """
    nameless: dict[tuple[str, str], list[int]] = defaultdict(list)
    highest: dict[tuple[str, str], int] = defaultdict(int)
    for index, lap in enumerate(laps):
        key = (lap.driver, lap.session)
        if lap.run is None:
            nameless[key].append(index)
        else:
            highest[key] = max(highest[key], lap.run)
    runs: dict[int, int] = {}
    repeats: list[Repeat] = []
    for key, indices in nameless.items():
        told, repeated = _tell_runs_apart(laps, indices)
        runs.update({index: run + highest[key] for index, run in told.items()})
        repeats.extend(repeated)
    gone = {repeat.index for repeat in repeats}
    first: dict[tuple[str, str, int, int], int] = {}
    kept: list[tuple[int, Lap]] = []
    for index, lap in enumerate(laps):
        if index in gone:
            continue
        known = lap if lap.run is not None else replace(lap, run=runs[index])
        earlier = first.setdefault(known.identity, index)
        if earlier == index:
            kept.append((index, known))
        else:
            repeats.append(Repeat(index, earlier, differs=lap != laps[earlier]))
    return Identified(tuple(kept), tuple(sorted(repeats, key=lambda repeat: repeat.index)))


def in_order(laps: Iterable[Lap]) -> list[Lap]:
    """Sort laps by `started_at` where all have it, else by session, run and number; never by their place in a file.

    >>> from fleet_rival.core.example import LAPS
    >>> [lap.number for lap in in_order(reversed(LAPS[:3]))]
    [1, 2, 3]
    """
    known = list(laps)
    if all(lap.started_at is not None for lap in known):
        return sorted(
            known, key=lambda lap: (lap.started_at, lap.driver, natural_key(lap.session), lap.run, lap.number)
        )
    return sorted(known, key=lambda lap: (natural_key(lap.session), lap.run, lap.number, lap.driver))


def following(laps: Sequence[Lap]) -> list[int | None]:
    """For each lap the index of the one with the next number in the same run; a missing lap breaks the chain.

    >>> from fleet_rival.core.example import LAPS
    >>> following(LAPS[:3])
    [1, 2, None]
    """
    place = {lap.identity: index for index, lap in enumerate(laps)}
    return [place.get(lap.identity._replace(number=lap.number + 1)) for lap in laps]


def _tell_runs_apart(laps: Sequence[Lap], indices: Sequence[int]) -> tuple[dict[int, int], list[Repeat]]:
    """Runs of the laps of one driver in one session, none of which names its run."""
    repeats: list[Repeat] = []
    order: list[int] = []
    if all(laps[index].started_at is not None for index in indices):
        seen: dict[tuple[int, object], int] = {}
        for index in indices:
            earlier = seen.setdefault((laps[index].number, laps[index].started_at), index)
            if earlier == index:
                order.append(index)
            else:
                repeats.append(Repeat(index, earlier, differs=laps[index] != laps[earlier]))
        order.sort(key=lambda index: (laps[index].started_at, laps[index].number))
        return _number_runs(laps, order, by_number=False), repeats
    if _numbers_restart(laps, indices):
        alike: dict[tuple[int, int], list[int]] = defaultdict(list)
        for index in indices:
            lap = laps[index]
            original = _copied(laps, order[-1:], alike[lap.number, lap.time_us], lap)
            if original is None:
                order.append(index)
                alike[lap.number, lap.time_us].append(index)
            else:
                repeats.append(Repeat(index, original, differs=False))
        return _number_runs(laps, order, by_number=not _has_ends(laps, indices)), repeats
    first: dict[int, int] = {}
    for index in indices:
        earlier = first.setdefault(laps[index].number, index)
        if earlier == index:
            order.append(index)
        else:
            repeats.append(Repeat(index, earlier, differs=laps[index] != laps[earlier]))
    order.sort(key=lambda index: laps[index].number)
    return _number_runs(laps, order, by_number=False), repeats


def _copied(laps: Sequence[Lap], above: Sequence[int], alike: Sequence[int], lap: Lap) -> int | None:
    """The earlier lap that this row copies, where the place in the file tells runs apart; `alike` share its number
    and time.

    A copy directly below its original is no other run of one lap; and a flying lap that is alike to the microsecond in
    every part
    was driven once, wherever the row stands. Out laps are often alike by nature.
    """
    if above and laps[above[0]] == lap:
        return above[0]
    if lap.kind == "flying" and len(lap.sectors) + len(lap.segments) >= _TELLING_PARTS:
        return next((index for index in alike if laps[index] == lap), None)
    return None


def _has_ends(laps: Sequence[Lap], indices: Sequence[int]) -> bool:
    return any(laps[index].kind != "flying" for index in indices)


def _numbers_restart(laps: Sequence[Lap], indices: Sequence[int]) -> bool:
    """Whether lap numbers begin again within the session.

    They do where a number that was there already belongs to another lap at the start of a run: at an out lap or after
        an in
    lap where the file tells those, else wherever the number falls.
    """
    ends = _has_ends(laps, indices)
    seen: dict[int, list[Lap]] = defaultdict(list)
    previous: Lap | None = None
    for position, index in enumerate(indices):
        lap = laps[index]
        if previous is not None and lap.number in seen:
            starts = (
                lap.kind in ("out", "outin") or previous.kind in ("in", "outin")
                if ends
                else lap.number < previous.number
            )
            # Out laps may well be alike to the last digit: such a one starts a run only where laps of its own follow
            # it.
            after = laps[indices[position + 1]] if position + 1 < len(indices) else None
            copy = lap in seen[lap.number]
            if starts and (
                not copy or (after is not None and after.number > lap.number and after not in seen[after.number])
            ):
                return True
        seen[lap.number].append(lap)
        previous = lap
    return False


def _number_runs(laps: Sequence[Lap], order: Sequence[int], *, by_number: bool) -> dict[int, int]:
    runs: dict[int, int] = {}
    run = 0
    previous: Lap | None = None
    for index in order:
        lap = laps[index]
        starts = previous is None or lap.kind in ("out", "outin") or previous.kind in ("in", "outin")
        if starts or (by_number and previous is not None and lap.number < previous.number):
            run += 1
        runs[index] = run
        previous = lap
    return runs
