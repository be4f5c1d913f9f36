"""What was computed, remembered by all that it was computed from, so that it is never wrong; what was asked for
least lately is forgotten.
"""

import hashlib
import pickle
from collections import OrderedDict
from collections.abc import Callable
from threading import Lock
from typing import Any, Final, TypeVar

from fleet_rival.services.shared.cache.single_flight import Turns

__all__ = ["Remembered", "key_of"]

Item = TypeVar("Item")


def key_of(*parts: Any) -> bytes:
    """A key from everything that an answer depends on; the parts can be pickled."""
    return hashlib.sha256(pickle.dumps(parts, protocol=5)).digest()


class Remembered:
    """Answers of one kind in this process, for all its threads."""

    def __init__(self, most: int, size: Callable[[Any], int] = lambda _: 1) -> None:
        """
        Args:
            most: how large all answers together may be.
            size: of one answer.
        """
        self._most: Final = most
        self._size: Final = size
        self._lock: Final = Lock()
        self._turns: Final = Turns()
        self._held: Final[OrderedDict[bytes, Any]] = OrderedDict()

    def known(self, key: bytes) -> Any:
        """The answer to a key; None where it isn't known."""
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
            return self._held.get(key)

    def get(self, key: bytes, make: Callable[[], Item]) -> Item:
        """The answer to a key; made where it isn't known, once for all who ask at the same time."""
        with self._turns.of(key):
            known: Item | None = self.known(key)
            if known is not None:
                return known
            made = make()
            if self._size(made) > self._most:
                # Everything else would be forgotten for it, and then itself.
                return made
            with self._lock:
                self._held[key] = made
                while sum(self._size(item) for item in self._held.values()) > self._most:
                    self._held.popitem(last=False)
            return made
