"""Laps at even metres, made from their traces once and kept: a new lap costs itself alone."""

from sqlalchemy import select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.telemetry.curves import LapCurves, curves_of
from fleet_rival.db.tables import LapCurve, TraceRow
from fleet_rival.services.shared.trace_files import load_traces

__all__ = ["curve_keys", "load_curves"]


def curve_keys(session: Session, team_id: int, combination_id: int) -> dict[int, tuple[int, int]]:
    """Where each lap's trace lies, by the lap's key: that names its curves, whatever becomes of them."""
    query = select(TraceRow.lap_id, TraceRow.file_id, TraceRow.row_group).where(
        TraceRow.team_id == team_id, TraceRow.combination_id == combination_id
    )
    return {lap_id: (file_id, group) for lap_id, file_id, group in session.execute(query)}


def load_curves(
    sessions: sessionmaker[Session], team_id: int, length_m: float, keys: dict[int, tuple[int, int]]
) -> dict[int, LapCurves]:
    """Curves of laps by the lap's key; those that nobody asked for yet are made and kept.

    Args:
        length_m: of the layout.
        keys: where each lap's trace lies.
    """
    if not keys:
        return {}
    found: dict[int, LapCurves] = {}
    with sessions() as session:
        query = select(LapCurve.lap_id, LapCurve.file_id, LapCurve.row_group, LapCurve.body).where(
            LapCurve.team_id == team_id, LapCurve.lap_id.in_(keys)
        )
        for lap_id, file_id, group, body in session.execute(query):
            curves = LapCurves.unpacked(body)
            # A layout that was measured anew is as long as other places.
            if keys[lap_id] == (file_id, group) and abs(len(curves) * curves.step_m - length_m) <= curves.step_m:
                found[lap_id] = curves
    missing = keys.keys() - found.keys()
    if missing:
        found |= _made(sessions, team_id, length_m, {lap_id: keys[lap_id] for lap_id in missing})
    return found


def _made(
    sessions: sessionmaker[Session], team_id: int, length_m: float, keys: dict[int, tuple[int, int]]
) -> dict[int, LapCurves]:
    made: dict[int, LapCurves] = {}
    with sessions() as session:
        for lap_id, trace in load_traces(session, team_id, list(keys)):
            if (curves := curves_of(length_m, trace)) is not None:
                made[lap_id] = curves
    rows = [
        {
            "team_id": team_id,
            "lap_id": lap_id,
            "file_id": keys[lap_id][0],
            "row_group": keys[lap_id][1],
            "body": item.packed(),
            "made_at": now(),
        }
        for lap_id, item in sorted(made.items())
    ]
    if rows:
        with sessions.begin() as session:
            statement = insert(LapCurve)
            fresh = {name: statement.inserted[name] for name in ("file_id", "row_group", "body", "made_at")}
            session.execute(statement.on_duplicate_key_update(**fresh), rows)
    return made
