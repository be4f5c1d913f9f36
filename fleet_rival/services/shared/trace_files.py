"""Traces between the store's files and the rows of the database."""

from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager, suppress
from dataclasses import asdict, dataclass
from datetime import datetime, timedelta
from typing import Any, Final

from sqlalchemy import bindparam, delete, insert, select, update
from sqlalchemy.dialects.mysql import insert as insert_or_keep
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import AHEAD, now
from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.core.telemetry.cutting import CutLap
from fleet_rival.core.telemetry.pulls import plain_pulls
from fleet_rival.core.telemetry.trace import Trace
from fleet_rival.db.tables import ChangeSet, FeedEntry, Lap, LapCurve, TraceFile, TraceRow, Upload
from fleet_rival.db.tenancy import for_all_teams
from fleet_rival.formats.telemetry import TelemetryFile
from fleet_rival.formats.telemetry_export import TelemetryWriter
from fleet_rival.services.shared.base import note_changes
from fleet_rival.telemetry.store import store

__all__ = ["Kept", "TraceSink", "fill_laps", "keep_traces", "load_traces", "sweep", "trace_sink"]

_LAPS_A_FILE: Final = 200
_ROWS_AT_ONCE: Final = 400
_SWEPT_AFTER: Final = timedelta(days=30)
"""Files in which no trace is any more stay this long, so that what was taken back can be done again."""
_PIECES_AFTER: Final = timedelta(days=7)
_PACKAGES_AFTER: Final = timedelta(days=1)
_KEYS_AFTER: Final = timedelta(days=30)
_KEYS_AT_ONCE: Final = 10_000


@dataclass(frozen=True, slots=True)
class Kept:
    """A lap's trace as it was written into a file, and what was read from it.

    Attributes:
        file: place among the sink's files.
        row_group: of the file.
        channels: those that the lap has.
    """

    driver: str
    session: str
    run: int | None
    lap: int
    cut: CutLap
    file: int
    row_group: int
    samples: int
    channels: tuple[str, ...]


class TraceSink:
    """Takes laps' traces into new files, so many laps in each: who looks at one lap reads a short index, and none of
    them is held whole.

    Attributes:
        kept: what was taken, in order.
        files: digest and size of each file, complete once the sink is closed.
    """

    def __init__(self, channels: Sequence[str]) -> None:
        self._channels = channels
        self._open: ExitStack | None = None
        self._writer: TelemetryWriter | None = None
        self._in_file = 0
        self.kept: list[Kept] = []
        self.files: list[tuple[str, int]] = []

    def add(self, trace: Trace, cut_lap: CutLap) -> Kept:
        if self._writer is None or self._in_file >= _LAPS_A_FILE:
            self.close()
            self._begin()
        assert self._writer is not None
        missing = set(trace.missing)
        channels = tuple(name for name in trace.channels if name not in missing)
        group = self._writer.add(trace)
        item = Kept(
            trace.driver, trace.session, trace.run, trace.lap, cut_lap, len(self.files), group, len(trace), channels
        )
        self._in_file += 1
        self.kept.append(item)
        return item

    def _begin(self) -> None:
        self._open = ExitStack()
        self._out = self._open.enter_context(store().new_traces())
        self._writer = self._open.enter_context(TelemetryWriter(self._out, self._channels))  # type: ignore[arg-type]  # it only writes
        self._in_file = 0

    def close(self) -> None:
        """End the file that is open: from here on it is there, under its name."""
        if self._open is not None:
            self._open.close()
            self.files.append((self._out.digest, self._out.size))
            self._open = self._writer = None

    def throw_away(self, error: BaseException) -> None:
        """End without keeping what isn't finished."""
        if self._open is not None:
            with suppress(type(error)):
                self._open.__exit__(type(error), error, error.__traceback__)
            self._open = self._writer = None


@contextmanager
def trace_sink(channels: Sequence[str]) -> Iterator[TraceSink]:
    """New files of traces; they have their names, and are there, once the block is left."""
    sink = TraceSink(channels)
    try:
        yield sink
    except BaseException as error:
        sink.throw_away(error)
        raise
    sink.close()


def keep_traces(
    session: Session,
    team_id: int,
    combination_id: int,
    sink: TraceSink,
    laps: Sequence[tuple[int, Kept]],
    *,
    recorded: bool,
) -> None:
    """Note that laps have traces in a file.

    Args:
        laps: each lap's key, and its trace.
        recorded: whether each is to be kept as a change of its own: for laps that were there before. Those that came in
            the same act go and come back with their laps.
    """
    if not laps:
        return
    file_ids = {
        number: _file_id(session, team_id, *sink.files[number]) for number in sorted({kept.file for _, kept in laps})
    }
    keys = {"team_id": team_id, "combination_id": combination_id}
    # So many at once: thousands of laps are never held as rows.
    for start in range(0, len(laps), _ROWS_AT_ONCE):
        some = laps[start : start + _ROWS_AT_ONCE]
        rows = [{**keys, "file_id": file_ids[kept.file], "lap_id": lap_id, **_values(kept)} for lap_id, kept in some]
        if recorded:
            made = [TraceRow(**row) for row in rows]
            session.add_all(made)
            session.flush()
            for row in made:
                session.expunge(row)
        else:
            session.connection().execute(insert(TraceRow.__table__), rows)  # type: ignore[arg-type]


def _file_id(session: Session, team_id: int, digest: str, size: int) -> int:
    values = {"team_id": team_id, "sha256": digest, "size": size, "made_at": now()}
    # The same content may come twice, from two at once.
    session.execute(insert_or_keep(TraceFile).values(**values).on_duplicate_key_update(size=size))
    return session.scalars(select(TraceFile.id).where(TraceFile.team_id == team_id, TraceFile.sha256 == digest)).one()


def _values(kept: Kept) -> dict[str, Any]:
    return {
        "row_group": kept.row_group,
        "samples": kept.samples,
        "rate_hz": round(kept.cut.rate_hz, 3),
        "channels": list(kept.channels),
        "stretches": [asdict(item) for item in kept.cut.stretches],
        "crossings": {code: list(item) for code, item in kept.cut.crossings.items()},
        "pulls": plain_pulls(kept.cut.pulls),
    }


def fill_laps(
    session: Session, change_set: ChangeSet, laps: Sequence[tuple[int, int, CoreLap, CoreLap]], *, recorded: bool
) -> int:
    """Write parts' times that traces gave into laps that lacked them.

    Args:
        laps: key, version, the lap as it was, and as it is now.

    Returns:
        How many laps got anything.
    """
    moved = [
        item
        for item in laps
        if (dict(item[2].sectors), dict(item[2].segments)) != (dict(item[3].sectors), dict(item[3].segments))
    ]
    if not moved:
        return 0
    table = Lap.__table__
    columns = ("sectors", "segments")
    statement = (
        update(Lap)
        .where(Lap.id == bindparam("key"))
        .values(
            version=Lap.version + (1 if recorded else 0),
            **{name: bindparam(f"to_{name}", type_=table.c[name].type) for name in columns},
        )
    )
    values = [
        {"key": key, **{f"to_{name}": dict(getattr(after, name)) or None for name in columns}}
        for key, _, _, after in moved
    ]
    session.connection().execute(statement, values)
    if recorded:
        note_changes(
            session,
            change_set,
            [
                {
                    "table_name": "lap",
                    "row_id": key,
                    "version": version + 1,
                    "before": {name: dict(getattr(before, name)) or None for name in columns},
                    "after": {name: dict(getattr(after, name)) or None for name in columns},
                }
                for key, version, before, after in moved
            ],
        )
    return len(moved)


def load_traces(session: Session, team_id: int, lap_ids: Sequence[int]) -> Iterator[tuple[int, Trace]]:
    """The traces of some laps, read from the store, file by file."""
    query = (
        select(TraceRow.lap_id, TraceRow.row_group, TraceFile.sha256)
        .join(TraceFile, (TraceFile.team_id == TraceRow.team_id) & (TraceFile.id == TraceRow.file_id))
        .where(TraceRow.team_id == team_id, TraceRow.lap_id.in_(lap_ids))
        .order_by(TraceFile.sha256, TraceRow.row_group)
    )
    by_file: dict[str, list[tuple[int, int]]] = {}
    for lap_id, group, digest in session.execute(query):
        by_file.setdefault(digest, []).append((lap_id, group))
    for digest, wanted in by_file.items():
        with store().open_traces(digest) as opened:
            file = TelemetryFile(opened, digest)
            for (lap_id, _), trace in zip(wanted, file.groups([group for _, group in wanted]), strict=True):
                yield lap_id, trace


def sweep(sessions: sessionmaker[Session], moment: datetime) -> None:
    """Throw away files that no row names, pieces of uploads that were given up, and keys of what rigs sent long ago."""
    place = store()
    written_by = (moment - AHEAD).timestamp()  # Files bear the machine's own time.
    place.sweep_packages(written_by - _PACKAGES_AFTER.total_seconds())
    # Listed before the rows are asked for: what begins to come meanwhile isn't among them.
    digests, coming = set(place.traces()), set(place.uploads())
    with sessions.begin() as session:
        held = select(TraceRow.id).where(TraceRow.team_id == TraceFile.team_id, TraceRow.file_id == TraceFile.id)
        session.execute(
            for_all_teams(delete(TraceFile).where(TraceFile.made_at < moment - _SWEPT_AFTER, ~held.exists()))
        )
        traced = select(TraceRow.id).where(TraceRow.team_id == LapCurve.team_id, TraceRow.lap_id == LapCurve.lap_id)
        session.execute(for_all_teams(delete(LapCurve).where(~traced.exists())))
        session.execute(for_all_teams(delete(Upload).where(Upload.created_at < moment - _PIECES_AFTER)))
        # A lap that waits is never thrown away; samples whose lap never came are.
        old = (FeedEntry.came_at < moment - _KEYS_AFTER, (FeedEntry.state != "waiting") | (FeedEntry.kind == "samples"))
        gone = session.scalars(for_all_teams(select(FeedEntry.id).where(*old).limit(_KEYS_AT_ONCE))).all()
        session.execute(delete(FeedEntry).where(FeedEntry.id.in_(gone)))
        named = set(session.scalars(for_all_teams(select(TraceFile.sha256))))
        known = {str(item) for item in session.scalars(for_all_teams(select(Upload.public_id)))}
    for digest in digests - named:
        # One that was just written has no row yet.
        if place.age_s(digest, written_by) > _PIECES_AFTER.total_seconds():
            place.remove_traces(digest)
    for upload_id in coming - known:
        place.remove_upload(upload_id)
