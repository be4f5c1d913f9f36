"""Parts are watched one by one: pauses grow for the one that ends again and again, and one that hangs is ended."""

from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any

from fleet_rival.runtime.console import Failure
from fleet_rival.runtime.supervisor import Supervisor, Watched


@dataclass
class Process:
    signals: list[int] = field(default_factory=list)

    def signal(self, number: int) -> None:
        self.signals.append(number)


@dataclass
class Fragile:
    """A part that ends when it is told to."""

    running: bool = True
    well: bool = True
    trouble: str = ""
    begun: int = 0
    started: Any = field(default_factory=Process)

    def start(self) -> None:
        if self.trouble:
            raise Failure(self.trouble)
        self.begun += 1
        self.running = True

    def answers(self) -> bool:
        return self.well


def starts(watched: Watched, part: Fragile, now: list[float], seconds: int) -> list[int]:
    """At which seconds it is started, if it ends at once each time."""
    found = []
    for _ in range(seconds):
        if watched.look():
            found.append(int(now[0]))
            part.running = False
        now[0] += 1
    return found


def test_pauses_grow_to_a_minute_and_nobody_gives_up() -> None:
    now = [0.0]
    part = Fragile(running=False)
    at = starts(Watched("part", part, lambda: now[0]), part, now, 600)
    pauses = [after - before for before, after in pairwise(at)]
    assert at[0] == 0 and all(later >= earlier for earlier, later in pairwise(pauses))
    assert 55 < pauses[-1] <= 62 and len(at) < 25


def test_who_ran_well_for_a_while_begins_with_short_pauses_again() -> None:
    now = [0.0]
    part = Fragile(running=False)
    watched = Watched("part", part, lambda: now[0])
    starts(watched, part, now, 200)
    part.running = True
    watched.began_at = now[0]
    now[0] += 200
    part.running = False
    assert watched.look() and part.running


def test_one_that_cannot_be_started_is_tried_again_and_the_others_are_seen_to(capsys: object) -> None:
    now = [0.0]
    full, other = Fragile(running=False, trouble="the disk is full."), Fragile()
    supervisor = Supervisor({"database": full, "web server": other})
    for item in supervisor.watched:
        item.clock = lambda: now[0]
    assert not supervisor.look()
    other.running = False
    now[0] += 1
    assert supervisor.look() and other.begun == 1 and full.begun == 0
    full.trouble = ""
    now[0] += 100
    assert supervisor.look() and full.begun == 1


def test_one_that_hangs_is_ended_and_one_that_is_slow_once_is_not() -> None:
    part = Fragile()
    watched = Watched("part", part)
    for well in (False, False, False, True, False, False, False):
        part.well = well
        watched.ask()
    assert part.started.signals == []
    watched.ask()
    assert part.started.signals == [9]
