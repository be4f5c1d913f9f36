"""The garbage collector, set for a server that makes thousands of objects at once, which stay for as long as an
answer is made.
"""

import gc
from typing import Final

__all__ = ["settle"]

_THRESHOLDS: Final = (20_000, 25, 50)
"""New objects after which it looks through them; a group's laps and what is made of them are no garbage."""


def settle() -> None:
    """What is loaded by now stays: the collector needn't look through it again, which held all threads up for a
    third of a second.
    """
    gc.collect()
    gc.freeze()
    gc.set_threshold(*_THRESHOLDS)
