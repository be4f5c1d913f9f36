"""What became of planned blocks: runs that were driven take the blocks that they were meant for."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Final

from fleet_rival.core.settings import Planning

__all__ = ["OPEN", "DrivenRun", "Followed", "PlannedBlock", "follow"]

OPEN: Final = frozenset({"coming", "under_way"})
"""Still to be driven."""
_PURPOSE_OF: Final[Mapping[str, tuple[str, ...]]] = {
    "walk": ("learn",),
    "build": ("build",),
    "corner": ("corner",),
    "trial": ("trial",),
    "long": ("long",),
    "qualifying": ("qualifying",),
    "rehearsal": ("rehearsal",),
}
"""What a run is declared as that drives a block of a kind. Other kinds, and runs of which nobody said what they are,
go by the time alone.
"""


@dataclass(frozen=True, slots=True)
class PlannedBlock:
    """A block as it was planned.

    Attributes:
        combinations: in which it may be driven.
        about: a corner's work: the corner; else empty.
        laps: flying laps that it was planned for; 0: nothing is driven in it.
        said: `done` or `missed`, where somebody said so: people have the last word.
    """

    key: str
    person: str
    combinations: frozenset[str]
    kind: str
    about: str
    begins: datetime
    ends: datetime
    laps: int
    said: str | None = None


@dataclass(frozen=True, slots=True)
class DrivenRun:
    """A run that was driven, or is declared and has no lap yet.

    Attributes:
        purpose: as it was declared; None: nobody said.
        watch: what the driver was to attend to, in the words of the declaration.
        laps: flying ones.
        wet: driven on a wet track.
    """

    key: str
    person: str
    combination: str
    purpose: str | None
    watch: tuple[str, ...]
    begins: datetime
    ends: datetime
    laps: int
    wet: bool = False


@dataclass(frozen=True, slots=True)
class Followed:
    """What became of a block.

    Attributes:
        state: `coming`; `under_way`: its time has come, or a run has taken it before it is over; `done`; `short`: too
            few of its laps were driven; `replaced`: other laps stood in its time; `missed`.
        runs: keys of those that took it, or stand in its place.
        laps: flying laps of those.
        purpose: of the first run that stands in its place.
    """

    state: str
    runs: tuple[str, ...] = ()
    laps: int = 0
    purpose: str | None = None


def follow(
    blocks: Sequence[PlannedBlock], runs: Sequence[DrivenRun], now: datetime, planning: Planning = Planning()
) -> dict[str, Followed]:
    """What became of each block, by its key.

    A declared run takes the block of its driver, combination and purpose that is nearest in time; work on a corner the
    one whose corner it
    names. A run of which nobody said what it is takes the block in whose time it began. What no run took is replaced
    where other laps of
    the driver stand in its time, else missed.
    """
    taken: dict[str, list[DrivenRun]] = defaultdict(list)
    for run in sorted(runs, key=lambda item: (item.begins, item.key)):
        fitting = [block for block in blocks if _fits(block, run, planning)]
        named = [block for block in fitting if block.about and any(_names(words, block.about) for words in run.watch)]
        if nearest := min(
            named or fitting, key=lambda block: (_apart(block, run), block.begins, block.key), default=None
        ):
            taken[nearest.key].append(run)
    return {block.key: _became(block, taken[block.key], runs, now, planning) for block in blocks}


def _fits(block: PlannedBlock, run: DrivenRun, planning: Planning) -> bool:
    if (
        block.person != run.person
        or run.combination not in block.combinations
        or (block.kind == "wet") != run.wet
        or not block.laps
    ):
        return False
    purposes = _PURPOSE_OF.get(block.kind)
    if purposes is None or run.purpose is None:
        return block.begins - timedelta(minutes=planning.around_minutes) <= run.begins <= block.ends
    early, late = timedelta(hours=planning.early_hours), timedelta(hours=planning.late_hours)
    return run.purpose in purposes and block.begins - early <= run.begins <= block.ends + late


def _names(words: str, corner: str) -> bool:
    """Whether a sentence names a corner, as a word of its own: T1 isn't in T10."""
    return corner in words.replace(":", " ").replace(",", " ").replace(".", " ").split()


def _apart(block: PlannedBlock, run: DrivenRun) -> timedelta:
    if block.begins <= run.begins <= block.ends:
        return timedelta(0)
    return min(abs(run.begins - block.begins), abs(run.begins - block.ends))


def _became(
    block: PlannedBlock, own: Sequence[DrivenRun], runs: Sequence[DrivenRun], now: datetime, planning: Planning
) -> Followed:
    keys, laps = tuple(run.key for run in own), sum(run.laps for run in own)
    if block.said is not None:
        return Followed(block.said, keys, laps)
    if own and laps >= max(1.0, planning.driven_pct / 100 * block.laps):
        return Followed("done", keys, laps)
    if block.ends > now:
        return Followed("under_way" if own or block.begins <= now else "coming", keys, laps)
    if own:
        # A run that was declared and never driven is no run.
        return Followed("short" if laps else "missed", keys, laps)
    instead = [
        run
        for run in runs
        if run.person == block.person
        and run.laps
        and block.laps
        and run.begins < block.ends
        and block.begins < run.ends
    ]
    if instead:
        return Followed(
            "replaced", tuple(run.key for run in instead), sum(run.laps for run in instead), instead[0].purpose
        )
    return Followed("missed")
