"""One installation in a folder: who starts it, or puts other data in its place, holds a lock from the first moment.
Standard library alone.
"""

import fcntl
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from fleet_rival.runtime.console import Failure

__all__ = ["Taken", "is_taken", "only_one", "secure"]


class Taken(Failure):
    """Somebody else holds the folder: which process, and what it does."""

    def __init__(self, process: int, doing: str) -> None:
        super().__init__(
            f"this folder is in use by process {process or '?'} ({doing or 'start'}). Wait for it, or end it with "
            "./fleet stop."
        )
        self.process = process
        self.doing = doing


@contextmanager
def only_one(var: Path, doing: str) -> Iterator[None]:
    """Hold the folder, until the block is left or the process ends, however it ends.

    Raises:
        Taken: somebody else holds it.
    """
    var.mkdir(exist_ok=True)
    descriptor = os.open(var / "fleet.lock", os.O_RDWR | os.O_CREAT, 0o600)
    try:
        try:
            fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            raise Taken(*_told(descriptor)) from None
        os.ftruncate(descriptor, 0)
        os.pwrite(descriptor, f"{os.getpid()} {doing}".encode(), 0)
        yield
    finally:
        os.close(descriptor)


def is_taken(var: Path) -> bool:
    """Whether somebody holds the folder."""
    try:
        with only_one(var, "look"):
            return False
    except Taken:
        return True


def _told(descriptor: int) -> tuple[int, str]:
    number, _, doing = os.pread(descriptor, 200, 0).decode(errors="replace").partition(" ")
    return int(number) if number.isdecimal() else 0, doing.strip()


def secure(var: Path) -> None:
    """What lies under a folder is its owner's alone, also what earlier versions made; what runs keeps its right to
    run.
    """
    os.umask(0o077)
    var.mkdir(exist_ok=True)
    for folder, folders, files in os.walk(var):
        Path(folder).chmod(0o700)
        # Programs of others, fetched for the set-up.
        folders[:] = [
            name
            for name in folders
            if name not in ("node", "test-demo-browser") and not Path(folder, name).is_symlink()
        ]
        for name in files:
            place = Path(folder, name)
            try:
                mode = place.lstat().st_mode
                if mode & 0o077 and not place.is_symlink():
                    place.chmod(mode & 0o700)
            except FileNotFoundError:
                continue  # went meanwhile
