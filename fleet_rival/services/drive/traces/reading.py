"""Telemetry files of strangers, read lap by lap in a process of their own."""

import io
from collections.abc import Callable, Generator, Iterator
from contextlib import closing
from dataclasses import dataclass
from typing import Any, Final
from uuid import UUID

from fleet_rival.confined import Limits, TooMuch, call, each
from fleet_rival.core.telemetry.trace import Trace
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.telemetry import TelemetryFile
from fleet_rival.telemetry.store import Store, store

__all__ = ["ReadFile", "check_traces"]

_LIMITS: Final = Limits(memory=1_000_000_000, seconds=900)
_OF_TRACES: Final = Limits(memory=500_000_000, seconds=120)


@dataclass(slots=True)
class ReadFile:
    """An upload as a telemetry file that is read lap by lap.

    Attributes:
        channels, ignored, lost: as of `TelemetryFile`; known once reading has begun, the last once it has ended.
        share: how much of the file is read, 0 to 1.

    Raises:
        UnusableFile: as `TelemetryFile`; or it unpacks to more than can be read.
    """

    upload_id: UUID
    name: str
    watch: Callable[[], None]
    channels: tuple[str, ...] = ()
    ignored: tuple[str, ...] = ()
    lost: int = 0
    share: float = 0.0

    def laps(self) -> Iterator[Trace]:
        """Each lap's trace, in the order in which they end. What the file has is known at once, before the first is
        asked for.
        """
        items = self._items()
        _, (self.channels, self.ignored) = next(items)
        return self._laps_of(items)

    def _laps_of(self, items: Generator[tuple[str, Any]]) -> Iterator[Trace]:
        with closing(items):
            for kind, value in items:
                if kind == "lap":
                    trace, self.share = value
                    yield trace
                elif kind == "lost":
                    self.lost = value

    def _items(self) -> Generator[tuple[str, Any]]:
        try:
            yield from each(_laps, store().address, str(self.upload_id), self.name, limits=_LIMITS, watch=self.watch)
        except TooMuch as error:
            raise UnusableFile(
                f"{self.name} unpacks to more than can be read here, or takes too long. Split it by session."
            ) from error


def _laps(address: str, upload_id: str, name: str) -> Iterator[tuple[str, Any]]:
    """In the process: what the file has, then its laps with the share that is read, then how many rows belong to
    none.
    """
    with Store(address).open_upload(upload_id) as pieces:
        file = TelemetryFile(io.BufferedReader(pieces, 1 << 20), name)
        yield "head", (file.channels, file.ignored)
        for trace in file.laps():
            yield "lap", (trace, min(1.0, pieces.tell() / max(pieces.size, 1)))
        yield "lost", file.lost


def check_traces(digest: str) -> None:
    """Read a file of traces that came from elsewhere once as a whole, before anything of it is shown.

    Raises:
        UnusableFile: it isn't what it says, or unpacks to too much.
    """
    try:
        call(_looked_through, store().address, digest, limits=_OF_TRACES)
    except (TooMuch, ValueError, OSError, KeyError, AssertionError) as error:
        raise UnusableFile(
            f"The file of traces {digest[:12]}… in the package can't be read. Make the package again."
        ) from error


def _looked_through(address: str, digest: str) -> int:
    with Store(address).open_traces(digest) as opened:
        file = TelemetryFile(opened, digest)
        count = file.count_groups()
        for number in range(count):
            for _ in file.groups([number]):
                pass
        return count
