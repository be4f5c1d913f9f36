"""Who needs the same answer at once waits for the one who makes it, so that it is made once."""

from collections.abc import Hashable, Iterator
from contextlib import contextmanager
from threading import Lock
from typing import Final
from weakref import WeakValueDictionary

__all__ = ["Turns"]

_LONGEST_S: Final = 60.0
"""Who has waited this long makes the answer himself: a queue that hangs would be worse than work done twice."""


class _Turn:
    """A lock that is forgotten with the last one who holds or awaits it."""

    __slots__ = ("__weakref__", "lock")

    def __init__(self) -> None:
        self.lock: Final = Lock()


class Turns:
    """One at a time by key, in this process."""

    def __init__(self, longest_s: float = _LONGEST_S) -> None:
        self._longest_s: Final = longest_s
        self._guard: Final = Lock()
        self._turns: Final[WeakValueDictionary[Hashable, _Turn]] = WeakValueDictionary()

    @contextmanager
    def of(self, key: Hashable) -> Iterator[bool]:
        """Wait for the turn.

        Yields:
            Whether somebody else had it before: then the answer is likely known by now.
        """
        with self._guard:
            turn = self._turns.get(key)
            if turn is None:
                turn = self._turns[key] = _Turn()
        free = turn.lock.acquire(blocking=False)
        held = free or turn.lock.acquire(timeout=self._longest_s)
        try:
            yield not free
        finally:
            if held:
                turn.lock.release()
