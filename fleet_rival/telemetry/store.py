"""Files of traces and pieces of uploads, in a place that fsspec can reach: a folder, or an object store.

A file of traces is named by the digest of its content, so that the same content is there once and a name never means
something else. It is
written first and known to the database afterwards; what the database doesn't know is swept.
"""

import errno
import hashlib
import io
import os
import secrets
import shutil
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from functools import cache
from pathlib import Path
from typing import IO, Any, Final

import fsspec  # type: ignore[import-untyped]

__all__ = ["DiskFull", "Joined", "Store", "store", "telemetry_place"]

_BLOCK: Final = 1 << 20
_FULL: Final = (errno.ENOSPC, errno.EDQUOT)
_TRACES, _PIECES, _PACKAGES, _UNFINISHED = "traces", "uploads", "packages", "unfinished"


class DiskFull(Exception):
    """There is no room where files are kept."""


class Store:
    """A place for files.

    Args:
        address: of the place, as fsspec writes it: `file:///srv/fleet/telemetry`, `s3://bucket/fleet`.
    """

    def __init__(self, address: str) -> None:
        self.address: Final = address
        self._files, self._root = fsspec.core.url_to_fs(address)
        self._local = "file" in self._files.protocol
        for folder in (_TRACES, _PIECES, _PACKAGES, _UNFINISHED):
            self._files.makedirs(f"{self._root}/{folder}", exist_ok=True)

    @contextmanager
    def new_traces(self) -> Iterator["_Writing"]:
        """A file of traces to be written; it has its name once it is closed. Nothing is left of one that fails."""
        place = f"{self._root}/{_UNFINISHED}/{secrets.token_hex(16)}"
        writing = _Writing(self._files.open(place, "wb"))
        try:
            yield writing
            writing.close(durable=self._local)
            target = f"{self._root}/{_TRACES}/{writing.digest}"
            if not self._files.exists(target):
                self._files.mv(place, target)
        finally:
            if self._files.exists(place):
                self._files.rm(place)

    def open_traces(self, digest: str) -> IO[bytes]:
        """A file of traces to be read.

        Raises:
            FileNotFoundError: it isn't there.
        """
        opened: IO[bytes] = self._files.open(f"{self._root}/{_TRACES}/{digest}", "rb")
        return opened

    def traces(self) -> list[str]:
        """Digests of all files of traces."""
        return [str(path).rsplit("/", 1)[-1] for path in self._files.ls(f"{self._root}/{_TRACES}", detail=False)]

    def age_s(self, digest: str, moment: float) -> float:
        """How long ago a file of traces was written, in seconds."""
        modified = self._files.modified(f"{self._root}/{_TRACES}/{digest}")
        return moment - float(modified.timestamp())

    def remove_traces(self, digest: str) -> None:
        if self._files.exists(f"{self._root}/{_TRACES}/{digest}"):
            self._files.rm(f"{self._root}/{_TRACES}/{digest}")

    def write_piece(self, upload: str, source: Callable[[int], bytes], most: int) -> tuple[str, int]:
        """Write what comes of an upload, as much as comes; it belongs to the upload once it is settled.

        Args:
            source: gives up to so many bytes; none at the end. Where it breaks off with an error, what came before is
                kept.
            most: bytes that are still missing from the whole.

        Returns:
            The piece, and how many bytes it has.

        Raises:
            DiskFull: there is no room for it; nothing of it is kept.
        """
        folder = f"{self._root}/{_PIECES}/{upload}"
        self._files.makedirs(folder, exist_ok=True)
        piece = f"{folder}/{secrets.token_hex(8)}.part"
        written = 0
        try:
            with self._files.open(piece, "wb") as file:
                while written < most:
                    try:
                        block = source(min(_BLOCK, most - written))
                    except OSError:
                        # The other side is gone. It will ask how far it came, and go on from there.
                        break
                    if not block:
                        break
                    file.write(block)
                    written += len(block)
        except OSError as error:
            with suppress(OSError):
                self.drop_piece(piece)
            if error.errno in _FULL:
                raise DiskFull from error
            raise
        return piece, written

    def settle_piece(self, upload: str, piece: str, offset: int) -> None:
        """Let a piece begin at an offset of the whole. One at a time: whoever calls holds the upload's row."""
        self._files.mv(piece, f"{self._root}/{_PIECES}/{upload}/{offset:015d}")

    def drop_piece(self, piece: str) -> None:
        if self._files.exists(piece):
            self._files.rm(piece)

    def open_upload(self, upload: str) -> "Joined":
        """All pieces of an upload as one file to be read."""
        folder = f"{self._root}/{_PIECES}/{upload}"
        paths = sorted(str(path) for path in self._files.ls(folder, detail=False) if not str(path).endswith(".part"))
        return Joined(
            [(path, int(self._files.size(path))) for path in paths], lambda path: self._files.open(path, "rb")
        )

    def keep_package(self, name: str, source: IO[bytes]) -> None:
        """Keep an exchange package until it is fetched or swept; it has its name once all of it is there."""
        place = f"{self._root}/{_UNFINISHED}/{secrets.token_hex(16)}"
        try:
            with self._files.open(place, "wb") as file:
                shutil.copyfileobj(source, file, _BLOCK)
            self._files.mv(place, f"{self._root}/{_PACKAGES}/{name}")
        finally:
            if self._files.exists(place):
                self._files.rm(place)

    def open_package(self, name: str) -> IO[bytes]:
        """
        Raises:
            FileNotFoundError: it was never there, or was swept.
        """
        opened: IO[bytes] = self._files.open(f"{self._root}/{_PACKAGES}/{name}", "rb")
        return opened

    def remove_package(self, name: str) -> None:
        if self._files.exists(f"{self._root}/{_PACKAGES}/{name}"):
            self._files.rm(f"{self._root}/{_PACKAGES}/{name}")

    def sweep_packages(self, before: float) -> None:
        """Throw away packages that were made before a moment, in seconds since 1970."""
        for path in self._files.ls(f"{self._root}/{_PACKAGES}", detail=False):
            if float(self._files.modified(path).timestamp()) < before:
                self._files.rm(path)

    def uploads(self) -> list[str]:
        return [str(path).rsplit("/", 1)[-1] for path in self._files.ls(f"{self._root}/{_PIECES}", detail=False)]

    def remove_upload(self, upload: str) -> None:
        if self._files.exists(f"{self._root}/{_PIECES}/{upload}"):
            self._files.rm(f"{self._root}/{_PIECES}/{upload}", recursive=True)


class _Writing(io.RawIOBase):
    """Counts, digests and hands on what is written."""

    def __init__(self, file: Any) -> None:
        super().__init__()
        self._file = file
        self._digest = hashlib.sha256()
        self.size = 0

    @property
    def digest(self) -> str:
        return self._digest.hexdigest()

    def writable(self) -> bool:
        return True

    def write(self, data: Any) -> int:
        self._digest.update(data)
        count = len(memoryview(data).cast("B")) if not isinstance(data, bytes) else len(data)
        self._file.write(data)
        self.size += count
        return count

    def close(self, *, durable: bool = False) -> None:
        if not self._file.closed:
            self._file.flush()
            if durable:
                # A row will name this file: it must be there after a power cut too.
                os.fsync(self._file.fileno())
            self._file.close()
        super().close()


class Joined(io.RawIOBase):
    """Pieces read as one file that can seek; one piece is open at a time."""

    def __init__(self, pieces: Sequence[tuple[str, int]], opener: Callable[[str], IO[bytes]]) -> None:
        super().__init__()
        self._pieces, self._opener = pieces, opener
        self._ends: list[int] = []
        for _, size in pieces:
            self._ends.append((self._ends[-1] if self._ends else 0) + size)
        self.size = self._ends[-1] if self._ends else 0
        self._at = 0
        self._opened: tuple[int, IO[bytes]] | None = None

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def tell(self) -> int:
        return self._at

    def seek(self, offset: int, whence: int = io.SEEK_SET) -> int:
        self._at = max(0, offset + {io.SEEK_SET: 0, io.SEEK_CUR: self._at, io.SEEK_END: self.size}[whence])
        return self._at

    def readinto(self, buffer: Any) -> int:
        view = memoryview(buffer).cast("B")
        if self._at >= self.size or not len(view):
            return 0
        index = next(index for index, end in enumerate(self._ends) if self._at < end)
        begin = self._ends[index - 1] if index else 0
        if self._opened is None or self._opened[0] != index:
            self._close_piece()
            self._opened = (index, self._opener(self._pieces[index][0]))
        file = self._opened[1]
        file.seek(self._at - begin)
        data = file.read(min(len(view), self._ends[index] - self._at))
        view[: len(data)] = data
        self._at += len(data)
        return len(data)

    def _close_piece(self) -> None:
        if self._opened is not None:
            self._opened[1].close()
            self._opened = None

    def close(self) -> None:
        self._close_piece()
        super().close()


@cache
def store() -> Store:
    """The installation's store, as `FLEET_TELEMETRY` of the environment names it."""
    return Store(os.environ["FLEET_TELEMETRY"])


def telemetry_place(var: Path) -> str:
    """Where this installation keeps traces: what the environment names, else a folder of its own."""
    return os.environ.get("FLEET_TELEMETRY") or (var / "telemetry").absolute().as_uri()
