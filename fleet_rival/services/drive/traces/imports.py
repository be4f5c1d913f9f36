"""A telemetry file that has come, read lap by lap: laps that are there get their traces, those that aren't appear."""

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from typing import Final
from uuid import UUID

from sqlalchemy import insert, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.core.laps.order import identify
from fleet_rival.core.telemetry.cutting import cut
from fleet_rival.core.telemetry.filling import ANOTHER_LAP_US, LapFinder, filled
from fleet_rival.core.telemetry.laps import cut_at_line, kinds_by_speed
from fleet_rival.core.telemetry.trace import Trace
from fleet_rival.core.track import Track
from fleet_rival.db.laps import StoredLap, lap_values, laps_of
from fleet_rival.db.tables import Combination, Lap, Layout, TraceRow
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.services.drive.importing import session_ids
from fleet_rival.services.drive.lap_preview import driver_keys
from fleet_rival.services.drive.traces.reading import ReadFile
from fleet_rival.services.drive.traces.uploads import TelemetryRead, own_upload
from fleet_rival.services.shared.base import UNWATCHED, Actor, Work, begin_change, find_row
from fleet_rival.services.shared.errors import Conflict, Refused
from fleet_rival.services.shared.revisions import raise_revisions
from fleet_rival.services.shared.trace_files import Kept, TraceSink, fill_laps, keep_traces, trace_sink
from fleet_rival.services.track.tracks import load_track
from fleet_rival.wording.telemetry import STRANGE, stretch_sentence
from fleet_rival.wording.work import LOOKING_FOR_LAPS

__all__ = ["import_upload", "say_who"]

_ROWS_AT_ONCE: Final = 400
_TOLD: Final = 200
"""Sentences about laps; more are counted."""
_READING: Final = 0.8
"""Share of the work that is reading and writing traces."""


@dataclass(slots=True)
class _Plan:
    """What becomes of the traces of a file."""

    matched: list[tuple[StoredLap, CoreLap, Kept]] = field(default_factory=list)
    """A lap that is there, the same with what its trace says, and the trace."""
    new: list[tuple[CoreLap, Kept]] = field(default_factory=list)
    there: int = 0
    told: list[str] = field(default_factory=list)
    counts: dict[str, int] = field(default_factory=lambda: defaultdict(int))

    def leave(self, kept: Kept, why: str) -> None:
        self.counts[why] += 1
        self.tell(kept, STRANGE[why])

    def tell(self, kept: Kept, sentence: str) -> None:
        self.told.append(f"{kept.driver}, session {kept.session}, lap {kept.lap}: {sentence}")


def say_who(
    sessions: sessionmaker[Session],
    actor: Actor,
    upload_id: UUID,
    names: Mapping[str, str],
    combination_id: UUID | None = None,
) -> tuple[str, UUID]:
    """Say who the drivers of a file are, and where they drove, before it is read (again).

    Args:
        combination_id: where that wasn't said when the file began to come.

    Returns:
        The file's name, and its combination.

    Raises:
        Conflict: the file isn't whole yet.
        Refused: the team has no such driver.
    """
    with sessions.begin() as session:
        row = own_upload(session, actor, upload_id)
        if row.state == "coming":
            raise Conflict(f"{row.name} isn't whole yet: {row.received:,} of {row.size:,} bytes have come.")
        known = driver_keys(session, actor)
        if strange := sorted(set(names.values()) - known.keys()):
            raise Refused(f"The team has no driver called {', '.join(strange)}.")
        row.names = {**row.names, **names}
        if combination_id is not None:
            row.combination_id = find_row(session, Combination, actor, combination_id, "combination").id
        if row.combination_id is None:
            raise Refused("Say which car and layout these laps are of.")
        return row.name, session.get_one(Combination, row.combination_id).public_id


@dataclass(frozen=True, slots=True)
class TelemetryImported(TelemetryRead):
    """What became of a file, and where its laps are."""

    combination_id: UUID | None = None


def import_upload(
    sessions: sessionmaker[Session], actor: Actor, upload_id: UUID, work: Work = UNWATCHED
) -> TelemetryRead:
    """Read a telemetry file that is whole.

    Raises:
        Refused: the file can't be used at all.
    """
    with sessions() as session:
        upload = own_upload(session, actor, upload_id)
        if upload.combination_id is None:
            raise Refused("Say which car and layout these laps are of.")
        row = session.get_one(Combination, upload.combination_id)
        track = load_track(session, session.get_one(Layout, row.layout_id), centreline=False)
        names, name = dict(upload.names), upload.name
    try:
        file = ReadFile(upload_id, name, work.look)
        laps = file.laps()
        with trace_sink(file.channels) as sink:
            _read(file, laps, names, track, sink, work)
    except UnusableFile as error:
        with sessions.begin() as session:
            own_upload(session, actor, upload_id).state = "unusable"
        raise Refused(str(error)) from error
    with sessions.begin() as session:
        upload = own_upload(session, actor, upload_id)
        own = (Combination.team_id == actor.team_id, Combination.id == upload.combination_id)
        row = session.scalars(select(Combination).where(*own).with_for_update()).one()
        work.step(_READING + 0.02, LOOKING_FOR_LAPS)
        result = _keep(session, actor, row, sink, name, work)
        result = replace(result, lost_samples=file.lost, ignored=tuple(file.ignored))
        upload.state, upload.result = "read", asdict(result)
        work.finish(session, TelemetryImported(**asdict(result), combination_id=row.public_id))
        return result


def _read(
    file: ReadFile, laps: Iterator[Trace], names: Mapping[str, str], track: Track, sink: TraceSink, work: Work
) -> None:
    def renamed() -> Iterator[Trace]:
        for trace in laps:
            yield replace(trace, driver=names.get(trace.driver, trace.driver))

    for trace in cut_at_line(renamed(), track.length_m):
        sink.add(trace, cut(track, trace))
        work.step(_READING * file.share, f"{len(sink.kept):,} laps are read")


def _keep(session: Session, actor: Actor, row: Combination, sink: TraceSink, name: str, work: Work) -> TelemetryRead:
    drivers = driver_keys(session, actor)
    mine = drivers if actor.sees_all else {driver: key for driver, key in drivers.items() if key == actor.driver_id}
    unknown = sorted({kept.driver for kept in sink.kept if kept.driver not in drivers})
    plan = _plan(session, actor, row, [kept for kept in sink.kept if kept.driver in mine], drivers)
    for kept in sink.kept:
        if kept.driver in drivers and kept.driver not in mine:
            plan.counts["others"] += 1
    change_set = begin_change(session, actor, "telemetry.import", f"Read telemetry of {name}", row)
    count = fill_laps(
        session,
        change_set,
        [(item.id, item.version, item.lap, after) for item, after, _ in plan.matched],
        recorded=True,
    )
    keep_traces(
        session, actor.team_id, row.id, sink, [(item.id, kept) for item, _, kept in plan.matched], recorded=True
    )
    work.step(_READING + 0.1, f"{len(plan.new):,} laps appear")
    _appear(session, actor, row, change_set.id, plan.new, drivers, sink)
    if plan.matched or plan.new:
        raise_revisions(session, actor.team_id, [row.id])
    used = [kept for _, _, kept in plan.matched] + [kept for _, kept in plan.new]
    for kept in used:
        for item in kept.cut.stretches:
            plan.tell(kept, stretch_sentence(item))
    return TelemetryRead(
        matched=len(plan.matched),
        filled=count,
        added=len(plan.new),
        there=plan.there,
        holed=sum(bool(kept.cut.stretches) for kept in used),
        differs=plan.counts["differs"],
        twice=plan.counts["twice"],
        ambiguous=plan.counts["ambiguous"],
        short=plan.counts["short"],
        others=plan.counts["others"],
        unknown_drivers=tuple(unknown),
        told=tuple(plan.told[:_TOLD]),
        untold=max(0, len(plan.told) - _TOLD),
    )


def _plan(session: Session, actor: Actor, row: Combination, kept: Sequence[Kept], drivers: Mapping[str, int]) -> _Plan:
    plan = _Plan()
    names = {item.driver for item in kept}
    stored = laps_of(session, actor.team_id, row.id, [drivers[name] for name in sorted(names)]) if names else []
    finder = LapFinder([item.lap for item in stored])
    by_driver: dict[str, dict[str, list[CoreLap]]] = defaultdict(lambda: defaultdict(list))
    for item in stored:
        by_driver[item.lap.driver][item.lap.session].append(item.lap)
    traced = set(
        session.scalars(
            select(TraceRow.lap_id).where(TraceRow.team_id == actor.team_id, TraceRow.combination_id == row.id)
        )
    )
    groups: dict[tuple[str, str], list[Kept]] = defaultdict(list)
    for one in _once(kept, plan):
        groups[one.driver, one.session].append(one)
    for (driver, label), items in groups.items():
        where = _session_of(label, items, by_driver[driver])
        new: list[Kept] = []
        for one in items:
            found = finder.find(driver, where, one.run, one.lap)
            if not found:
                new.append(one)
                continue
            if len(found) > 1:
                plan.leave(one, "ambiguous")
                continue
            there = stored[found[0]]
            after = filled(there.lap, one.cut)
            if there.id in traced:
                plan.there += 1
            elif after is None:
                plan.leave(one, "differs")
            else:
                traced.add(there.id)
                plan.matched.append((there, after, one))
        plan.new += _new_laps(plan, new, where, by_driver[driver].get(where, ()))
    return plan


def _once(kept: Sequence[Kept], plan: _Plan) -> Iterable[Kept]:
    """Each lap once: one that comes twice counts if both say the same, else not at all."""
    seen: dict[tuple[str, str, int | None, int], list[Kept]] = defaultdict(list)
    for one in kept:
        seen[one.driver, one.session, one.run, one.lap].append(one)
    for same in seen.values():
        if any(
            (item.samples, item.cut.time_us, item.cut.segments)
            != (same[0].samples, same[0].cut.time_us, same[0].cut.segments)
            for item in same
        ):
            plan.leave(same[0], "twice")
        else:
            yield same[0]


def _session_of(label: str, items: Sequence[Kept], sessions: Mapping[str, Sequence[CoreLap]]) -> str:
    """Which of the sessions that go by this label, or by it with a number behind, a file means: the one whose laps
    took the same times.
    """

    def agrees(name: str) -> int:
        times: dict[int, list[int]] = defaultdict(list)
        for lap in sessions.get(name, ()):
            times[lap.number].append(lap.time_us)
        told = [(one.lap, one.cut.time_us) for one in items if one.cut.time_us is not None]
        return sum(any(abs(time - took) <= ANOTHER_LAP_US for time in times[number]) for number, took in told)

    numbered = [name for name in sessions if name.startswith(f"{label} (") and agrees(name)]
    return max([label, *numbered], key=agrees)


def _new_laps(plan: _Plan, items: Sequence[Kept], label: str, there: Sequence[CoreLap]) -> list[tuple[CoreLap, Kept]]:
    """Laps that are known from their traces alone. One that isn't whole has no time, and is no lap.

    Args:
        label: of the session that they belong to.
        there: the driver's laps in it so far.
    """
    whole = []
    for one in items:
        if one.cut.time_us is None:
            plan.leave(one, "short")
        else:
            whole.append(one)
    kinds = kinds_by_speed([one.cut.begins_kmh for one in whole], [one.cut.ends_kmh for one in whole])
    made = []
    for one, kind in zip(whole, kinds, strict=True):
        run = one.run
        if run is None and there:
            run = max((lap.run or 1 for lap in there if lap.number < one.lap), default=1)
        assert one.cut.time_us is not None
        made.append(
            CoreLap(
                one.driver,
                one.lap,
                one.cut.time_us,
                session=label,
                run=run,
                kind=kind,
                sectors=one.cut.sectors,
                segments=one.cut.segments,
            )
        )
    told = identify(made)
    return [(lap, whole[index]) for index, lap in told.laps]


def _appear(
    session: Session,
    actor: Actor,
    row: Combination,
    change_set_id: int,
    new: Sequence[tuple[CoreLap, Kept]],
    drivers: Mapping[str, int],
    sink: TraceSink,
) -> None:
    if not new:
        return
    labels = session_ids(session, actor, row, {lap.session for lap, _ in new})
    keys = {"team_id": actor.team_id, "combination_id": row.id, "change_set_id": change_set_id}
    for start in range(0, len(new), _ROWS_AT_ONCE):
        some = new[start : start + _ROWS_AT_ONCE]
        values = [
            {**lap_values(lap), **keys, "session_id": labels[lap.session], "driver_id": drivers[lap.driver]}
            for lap, _ in some
        ]
        session.connection().execute(insert(Lap.__table__), values)  # type: ignore[arg-type]
    own = select(Lap.id, Lap.session_id, Lap.driver_id, Lap.run, Lap.number).where(
        Lap.team_id == actor.team_id, Lap.change_set_id == change_set_id
    )
    ids = {
        (session_id, driver_id, run, number): key for key, session_id, driver_id, run, number in session.execute(own)
    }
    laps = [(ids[labels[lap.session], drivers[lap.driver], lap.run or 0, lap.number], kept) for lap, kept in new]
    keep_traces(session, actor.team_id, row.id, sink, laps, recorded=False)
