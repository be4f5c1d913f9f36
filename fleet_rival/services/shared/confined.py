"""Files of strangers, read where they can't hurt: what unpacks, in a process with so much memory and time; plain
text, here.
"""

from collections.abc import Callable
from typing import Any, Final, TypeVar

from fleet_rival.confined import Limits, TooMuch, call
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.grids import is_packed
from fleet_rival.wording.files import TOO_MUCH

__all__ = ["read"]

Result = TypeVar("Result")
_LIMITS: Final = Limits(memory=600_000_000, seconds=60)


def read(
    function: Callable[..., Result], content: bytes, *arguments: Any, watch: Callable[[], None] | None = None
) -> Result:
    """What a reader of the formats makes of a file.

    Args:
        function: of a module; takes the content first.
        watch: asked while it is read elsewhere; what it raises ends that.

    Raises:
        UnusableFile: what the reader says, or that it unpacks to too much.
    """
    if not is_packed(content):
        return function(content, *arguments)
    try:
        return call(function, content, *arguments, limits=_LIMITS, watch=watch)
    except TooMuch as error:
        raise UnusableFile(TOO_MUCH) from error
