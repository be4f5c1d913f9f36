"""Work on what strangers send, in a process of its own: with so much memory and time and no more, so that its end is
an answer and not a crash.

The processes are forked from one that has loaded what readers need and runs no threads; a call costs some ten
milliseconds.
"""

import contextlib
import multiprocessing
import os
import resource
import signal
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cache
from multiprocessing.connection import Connection
from multiprocessing.context import ForkServerContext
from pathlib import Path
from typing import Any, Final, TypeVar

__all__ = ["Limits", "TooMuch", "call", "each", "warm"]

Result = TypeVar("Result")
Watch = Callable[[], None]

_PRELOADED: Final = [
    "pyarrow.parquet",
    "pyarrow.csv",
    "pyarrow.compute",
    "fleet_rival.formats.laps",
    "fleet_rival.formats.seasons",
    "fleet_rival.formats.pictures",
    "fleet_rival.services.drive.traces.reading",
]
"""Whose readers are called here: loaded once, not for each file."""
_LOOKED_EVERY_S: Final = 0.5


@dataclass(frozen=True, slots=True)
class Limits:
    """What a process may take.

    Attributes:
        memory: bytes beyond what it begins with.
        seconds: of its own computing, and three times as long on the clock.
    """

    memory: int = 400_000_000
    seconds: int = 60


class TooMuch(Exception):
    """It took more memory or time than it may; nothing is known of what it would have found."""


def call(
    function: Callable[..., Result], *arguments: Any, limits: Limits = Limits(), watch: Watch | None = None
) -> Result:
    """What a function of a module returns, computed in a process of its own.

    Args:
        function: of a module, not within another; it, what it is given and what it returns can be pickled.
        watch: called every now and then while it runs; what it raises ends the process.

    Raises:
        TooMuch: more memory or time than it may take.
        Exception: what the function raised.
    """
    for item in each(_once, function, arguments, limits=limits, watch=watch):
        return item  # type: ignore[no-any-return]
    raise TooMuch


def each(
    function: Callable[..., Iterator[Result]], *arguments: Any, limits: Limits = Limits(), watch: Watch | None = None
) -> Iterator[Result]:
    """What an iterator of a module yields, one by one; as `call`."""
    context = _context()
    ours, theirs = context.Pipe(duplex=False)
    process = context.Process(target=_confined, args=(theirs, os.getpid(), limits, function, arguments), daemon=True)
    process.start()
    theirs.close()
    try:
        yield from _received(ours, limits, watch)
    finally:
        ours.close()
        if process.is_alive():
            process.kill()
        process.join()
        process.close()


def _received(ours: Connection, limits: Limits, watch: Watch | None) -> Iterator[Any]:
    end = time.monotonic() + 3 * limits.seconds
    while True:
        while not ours.poll(_LOOKED_EVERY_S):
            if watch is not None:
                watch()
            if time.monotonic() > end:
                raise TooMuch
        try:
            kind, value = ours.recv()
        except (EOFError, OSError):
            # Killed by a limit, or by a library that ends the process where memory isn't given.
            raise TooMuch from None
        if kind == "item":
            waited = time.monotonic()
            yield value
            end += time.monotonic() - waited  # what the other side does with it costs the process nothing
        elif kind == "error":
            raise value
        else:
            return


def _once(function: Callable[..., Any], arguments: tuple[Any, ...]) -> Iterator[Any]:
    yield function(*arguments)


def warm() -> None:
    """Start the process that others are forked from, so that the first file needn't wait for it."""
    call(int, 0)


@cache
def _context() -> ForkServerContext:
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(_PRELOADED)
    return context


def _confined(
    there: Connection, parent: int, limits: Limits, function: Callable[..., Iterator[Any]], arguments: tuple[Any, ...]
) -> None:
    """In the process."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    most = _virtual_bytes() + limits.memory
    resource.setrlimit(resource.RLIMIT_AS, (most, most))
    resource.setrlimit(resource.RLIMIT_CPU, (limits.seconds, limits.seconds + 1))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    # A library that complains while it ends would fill the log of the application.
    with contextlib.suppress(OSError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), 2)
    try:
        for item in function(*arguments):
            there.send(("item", item))
        there.send(("done", None))
    except MemoryError:
        os._exit(1)
    except (BrokenPipeError, ConnectionError):
        os._exit(0)  # nobody waits any more
    except Exception as error:
        if _is_of_memory(error):
            os._exit(1)
        try:
            there.send(("error", error))
        except Exception:
            there.send(("error", RuntimeError(f"{type(error).__name__}: {error}")))
    os._exit(0)


def _is_of_memory(error: BaseException) -> bool:
    """Whether an error is a library's way to say that memory wasn't given."""
    found: BaseException | None = error
    while found is not None:
        if isinstance(found, MemoryError) or type(found).__name__ == "ArrowMemoryError" or "malloc" in str(found):
            return True
        found = found.__cause__ or found.__context__
    return False


def _virtual_bytes() -> int:
    return int(Path("/proc/self/statm").read_text(encoding="ascii").split()[0]) * resource.getpagesize()
