"""The clean laps of comparable runs, which pace is read from."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.marks import JudgedLap

__all__ = ["PaceRun", "clean_runs"]


@dataclass(frozen=True, slots=True)
class PaceRun:
    """Clean laps of one run, by number.

    Attributes:
        positions: of the laps among the driver's laps.
        first: number of the run's first lap of any kind, so that laps of the run count from 0 at the pits.
    """

    session: str
    run: int | None
    positions: tuple[int, ...]
    laps: tuple[Lap, ...]
    first: int

    @property
    def numbers(self) -> list[float]:
        """Laps of the run, from 0 at its first lap."""
        return [float(lap.number - self.first) for lap in self.laps]

    @property
    def times_us(self) -> list[int]:
        return [lap.time_us for lap in self.laps]

    @property
    def ages(self) -> list[float] | None:
        """Laps that the tyres had done when each lap started; None where one isn't known."""
        known = [lap.tyre_age for lap in self.laps if lap.tyre_age is not None]
        return known if len(known) == len(self.laps) else None


def clean_runs(judged: Sequence[JudgedLap], members: Sequence[int], least: int) -> list[PaceRun]:
    """Runs of a group with at least so many clean laps, in the order in which they were driven.

    Args:
        judged: all laps of the driver, in order.
        members: positions of the group's flying laps in `judged`.

    >>> from fleet_rival.core.example import LAPS, TRACK
    >>> from fleet_rival.core.laps.marks import judge
    >>> from fleet_rival.core.settings import Settings
    >>> [len(run.laps) for run in clean_runs(judge(TRACK, LAPS, Settings()), range(len(LAPS)), 5)]
    [12]
    """
    found: dict[tuple[str, int | None], list[int]] = defaultdict(list)
    for index in members:
        item = judged[index]
        if item.clean:
            found[item.lap.session, item.lap.run].append(index)
    first: dict[tuple[str, int | None], int] = {}
    for item in judged:
        lap = item.lap
        key = (lap.session, lap.run)
        if lap.number < first.get(key, lap.number + 1):
            first[key] = lap.number
    runs = []
    for (session, run), positions in found.items():
        if len(positions) >= least:
            positions.sort(key=lambda index: judged[index].lap.number)
            laps = tuple(judged[index].lap for index in positions)
            runs.append(PaceRun(session, run, tuple(positions), laps, first[session, run]))
    # Laps stand in the order of driving.
    return sorted(runs, key=lambda run: run.positions[0])
