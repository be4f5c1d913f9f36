"""Keeps the parts of the application running: each that ends, or no longer answers, is started again by itself,
after pauses that grow.

No part gives the others up: a database that can't start, on a full disk say, is tried again until it can, and pages say
    meanwhile that it is away.
"""

import signal
import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Final, Protocol

from fleet_rival.runtime.console import Failure, say
from fleet_rival.runtime.processes import Started

__all__ = ["Part", "Supervisor", "Watched"]

_LONGEST_PAUSE_S: Final = 60.0
_WELL_AFTER_S: Final = 120.0
"""A part that ran this long before it ended begins with short pauses again."""
_ASK_EVERY_S: Final = 10.0
_MISSED: Final = 4
"""Questions without an answer after which a part hangs."""


class Part(Protocol):
    """Something that runs, and can be started again."""

    @property
    def started(self) -> Started | None: ...
    @property
    def running(self) -> bool: ...
    def start(self) -> None: ...
    def answers(self) -> bool:
        """Whether it reacts to a question; takes some seconds at most."""
        ...


@dataclass(slots=True)
class Watched:
    """A part, and how it has been lately.

    Attributes:
        ended: how often it ended without having run well between.
        began_at: when it was started last.
        again_at: when it may be started again.
        missed: questions in a row that it didn't answer.
    """

    name: str
    part: Part
    clock: Callable[[], float] = time.monotonic
    ended: int = 0
    began_at: float = 0.0
    again_at: float | None = None
    missed: int = 0
    _told: str = field(default="", repr=False)

    def __post_init__(self) -> None:
        self.began_at = self.clock()

    def look(self) -> bool:
        """Start it again where it ended and its pause is over.

        Returns:
            Whether it was started.
        """
        moment = self.clock()
        if self.part.running:
            return False
        if self.again_at is None:
            self.ended = 1 if moment - self.began_at > _WELL_AFTER_S else self.ended + 1
            pause = 0.0 if self.ended == 1 else min(_LONGEST_PAUSE_S, 2.0 ** (self.ended - 2))
            self.again_at = moment + pause
            self._say(f"The {self.name} ended by itself; starting it again{f' in {pause:.0f} s' if pause else ''}.")
        if moment < self.again_at:
            return False
        self.again_at, self.missed, self.began_at = None, 0, moment
        try:
            self.part.start()
        except (Failure, OSError) as error:
            self.again_at = moment + min(_LONGEST_PAUSE_S, 2.0 ** min(self.ended, 6))
            self.ended += 1
            self._say(f"The {self.name} can't be started: {error} Trying again by itself.")
            return False
        self._told = ""
        return True

    def ask(self) -> None:
        """See whether it reacts; one that doesn't for a while is ended, and so started again."""
        started = self.part.started
        if not self.part.running or started is None:
            return
        self.missed = 0 if self.part.answers() else self.missed + 1
        if self.missed >= _MISSED:
            say(
                f"The {self.name} has not answered for {self.missed * _ASK_EVERY_S:.0f} s; ending it, so that it is "
                "started again."
            )
            self.missed = 0
            started.signal(signal.SIGKILL)

    def _say(self, text: str) -> None:
        if text != self._told:
            say(text)
        self._told = text


class Supervisor:
    """Watches some parts.

    Args:
        parts: by what people call them; the first ones are needed by the others.
    """

    def __init__(self, parts: Mapping[str, Part]) -> None:
        self.watched: Final = [Watched(name, part) for name, part in parts.items()]
        self._end: Final = threading.Event()
        self._asking = threading.Thread(target=self._ask, daemon=True)

    def begin(self) -> None:
        """Ask parts from a thread of its own: one that hangs must not hold up the others."""
        self._asking.start()

    def end(self) -> None:
        self._end.set()

    def look(self) -> bool:
        """Start what ended. From the main thread: children end with the thread that began them.

        Returns:
            Whether anything was started.
        """
        return any([item.look() for item in self.watched])

    def _ask(self) -> None:
        while not self._end.wait(_ASK_EVERY_S):
            for item in self.watched:
                item.ask()
