"""Layouts found from traces: of a file that has come, or of the laps that a layout has; shown first, kept when
somebody says so.
"""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Final
from uuid import UUID

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.laps.verdict import Use
from fleet_rival.core.telemetry.finding import CantFind, Found, find_track
from fleet_rival.core.telemetry.laps import cut_at_line, kinds_by_speed
from fleet_rival.core.telemetry.trace import Trace
from fleet_rival.db.tables import Combination, Lap, LapVerdict, Layout, TraceRow, TrackRow
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.tracks import write_track
from fleet_rival.services.drive.traces.reading import ReadFile
from fleet_rival.services.drive.traces.uploads import own_upload
from fleet_rival.services.drive.verdicts import counts_for, settle
from fleet_rival.services.shared.base import UNWATCHED, Actor, Work, find_row
from fleet_rival.services.shared.errors import Conflict, Refused
from fleet_rival.services.shared.trace_files import load_traces

__all__ = ["LayoutFound", "found_from_laps", "found_from_upload"]

_MOST_LAPS: Final = 40
"""Laps that a layout is found from; more don't make it better."""
_CURVE_POINTS: Final = 800


@dataclass(frozen=True, slots=True)
class LayoutFound:
    """A layout was found; the upload holds it."""

    upload_id: UUID


def found_from_upload(
    sessions: sessionmaker[Session], actor: Actor, upload_id: UUID, work: Work = UNWATCHED
) -> dict[str, Any]:
    """Find the layout that a telemetry file was driven on; kept with the file until somebody takes it.

    Raises:
        Conflict: the file isn't whole.
        Refused: it can't be used, or nothing can be found from it.
    """
    with sessions() as session:
        row = own_upload(session, actor, upload_id)
        if row.state == "coming":
            raise Conflict(f"{row.name} isn't whole yet.")
        name = row.name
    traces: list[Trace] = []
    try:
        length = 0.0
        for trace in ReadFile(upload_id, name, work.look).laps():
            traces.append(trace)
            length = max(length, float(np.nanmax(trace.channels["distance_m"], initial=0.0)))
            work.step(0.7 * min(1.0, len(traces) / _MOST_LAPS), f"{len(traces)} laps are read")
            if len(traces) >= _MOST_LAPS:
                break
    except UnusableFile as error:
        raise Refused(str(error)) from error
    laps = list(cut_at_line(traces, length))
    begins, ends = ([float(lap.channels["speed_kmh"][place]) for lap in laps] for place in (0, -1))
    result = _shown(_find(laps, kinds_by_speed(begins, ends), "New track", "New layout", "road"))
    with sessions.begin() as session:
        row = own_upload(session, actor, upload_id, lock=True)
        row.result = {**(row.result or {}), "found": result}
        work.finish(session, LayoutFound(upload_id))
    return result


def found_from_laps(sessions: sessionmaker[Session], actor: Actor, layout_id: UUID) -> dict[str, Any]:
    """Find a layout anew from the traces of laps driven on it.

    Raises:
        Refused: no lap has a trace, or nothing can be found.
    """
    with sessions() as session:
        row = find_row(session, Layout, actor, layout_id, "layout")
        driven = list(
            session.scalars(
                select(Combination.public_id).where(
                    Combination.team_id == actor.team_id, Combination.layout_id == row.id
                )
            )
        )
    settle(sessions, actor, driven)
    with sessions() as session:
        row = find_row(session, Layout, actor, layout_id, "layout")
        track = session.get_one(TrackRow, row.track_id)
        query = (
            select(Lap.id, Lap.kind, Lap.time_us)
            .join(TraceRow, (TraceRow.team_id == Lap.team_id) & (TraceRow.lap_id == Lap.id))
            .join(Combination, (Combination.team_id == Lap.team_id) & (Combination.id == Lap.combination_id))
            .join(LapVerdict, (LapVerdict.team_id == Lap.team_id) & (LapVerdict.lap_id == Lap.id))
            .where(Lap.team_id == actor.team_id, Combination.layout_id == row.id, counts_for(Use.STANDS))
            .order_by(Lap.kind != "flying", Lap.time_us)
        )
        found = session.execute(query).all()
        flying = [lap for lap in found if lap.kind == "flying"][:_MOST_LAPS]
        # Both are needed to see a pit lane, and one kind is always faster than the other.
        pitted = [
            lap
            for kind in ("out", "in", "outin")
            for lap in [item for item in found if item.kind == kind][: _MOST_LAPS // 2]
        ]
        kinds = {lap.id: lap.kind for lap in (*flying, *pitted)}
        loaded = list(load_traces(session, actor.team_id, list(kinds)))
    if not loaded:
        raise Refused("No lap on this layout has a trace yet. Add a telemetry file, or have a rig deliver samples.")
    return _shown(
        _find(
            [trace for _, trace in loaded],
            [kinds[key] for key, _ in loaded],
            track.name,
            row.name,
            row.kind,
            row.length_m,
        )
    )


def _find(
    traces: Sequence[Trace], kinds: Sequence[str], name: str, layout: str, kind: str, length_m: float | None = None
) -> Found:
    try:
        return find_track(traces, kinds, name, layout, kind, length_m)
    except CantFind as error:
        raise Refused(str(error)) from error


def _shown(found: Found) -> dict[str, Any]:
    bends = found.curvature
    step = max(1, len(bends) // _CURVE_POINTS)
    reasons: dict[str, int] = {}
    for _, reason in found.left_out:
        reasons[reason] = reasons.get(reason, 0) + 1
    return {
        "track": json.loads(write_track(found.track)),
        "curvature": [round(float(value), 5) for value in bends[::step]],
        "used": len(found.used),
        "left_out": reasons,
        "by": found.by,
    }
