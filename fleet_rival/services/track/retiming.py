"""Laps written anew by other boundaries, in pieces."""

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import bindparam, func, select, update
from sqlalchemy.orm import Session

from fleet_rival.core.book.boundaries import Retiming
from fleet_rival.core.telemetry.cutting import CutLap, cut
from fleet_rival.core.telemetry.pulls import plain_pulls
from fleet_rival.core.track import Part, Track
from fleet_rival.db.recording import plain_row
from fleet_rival.db.tables import (
    Lap,
    TraceRow,
)
from fleet_rival.services.shared.base import Work, note_changes
from fleet_rival.services.shared.trace_files import load_traces
from fleet_rival.wording.work import counted

__all__ = ["recoded", "retime", "tokens"]

_BATCH = 500


_ROUNDED_US = 1_000


def retime(
    session: Session, team_id: int, combinations: Sequence[int], plan: Retiming, new: Track, change_set: Any, work: Work
) -> int:
    """Write laps anew in batches, past the unit of work; each row's change is kept. What no sum gives, traces do,
    where laps have them.
    """
    own = (Lap.team_id == team_id, Lap.combination_id.in_(combinations))
    total = session.scalar(select(func.count()).select_from(Lap).where(*own)) or 0
    table = Lap.__table__
    columns = ("strikes", "incidents", "flags", "options", "mistakes", "sectors", "segments")
    statement = (
        update(Lap)
        .where(Lap.id == bindparam("key"))
        .values(
            version=Lap.version + 1, **{name: bindparam(f"to_{name}", type_=table.c[name].type) for name in columns}
        )
    )
    seen, last, changed = 0, 0, 0
    while True:
        query = select(Lap.id, Lap.version, Lap.time_us, *(getattr(Lap, name) for name in columns))
        rows = session.execute(query.where(*own, Lap.id > last).order_by(Lap.id).limit(_BATCH)).all()
        if not rows:
            return changed
        changes, values = [], []
        cuts = _cut_anew(session, team_id, [lap.id for lap in rows], new)
        for lap in rows:
            before = {name: getattr(lap, name) for name in columns}
            after = _after(before, plan)
            if lap.id in cuts:
                again = cuts[lap.id].ending_at(lap.time_us)
                after["sectors"] = _with_traced(after["sectors"], again.sectors, new.sector_parts, lap.time_us)
                after["segments"] = _with_traced(after["segments"], again.segments, new.segment_parts, lap.time_us)
            if after != before:
                moved = [name for name in columns if after[name] != before[name]]
                changes.append(
                    {
                        "table_name": "lap",
                        "row_id": lap.id,
                        "version": lap.version + 1,
                        "before": plain_row({name: before[name] for name in moved}),
                        "after": plain_row({name: after[name] for name in moved}),
                    }
                )
                values.append({"key": lap.id, **{f"to_{name}": after[name] for name in columns}})
        if values:
            session.connection().execute(statement, values)
            note_changes(session, change_set, changes)
        changed += len(values)
        seen, last = seen + len(rows), rows[-1].id
        work.step(0.95 * seen / max(total, 1), counted(seen, total, "laps looked through"))


def _cut_anew(session: Session, team_id: int, lap_ids: Sequence[int], new: Track) -> dict[int, CutLap]:
    """Laps with traces, cut at the new boundaries; how they came over them is written beside."""
    cuts = {}
    traced = {
        row.lap_id: row
        for row in session.scalars(select(TraceRow).where(TraceRow.team_id == team_id, TraceRow.lap_id.in_(lap_ids)))
    }
    for lap_id, trace in load_traces(session, team_id, list(traced)):
        cuts[lap_id] = cut(new, trace)
        traced[lap_id].crossings = {code: list(item) for code, item in cuts[lap_id].crossings.items()}
        traced[lap_id].pulls = plain_pulls(cuts[lap_id].pulls)
    session.flush()
    return cuts


def _with_traced(
    exact: Mapping[str, int] | None, traced: Mapping[str, int], parts: Sequence[Part], lap_us: int
) -> dict[str, int] | None:
    """Exact times, and the traced ones of the parts that have none, in the order of the road.

    A file's times are whole milliseconds and a trace's are not: where all parts are known, the longest traced one takes
    up the difference, so that
    they add up to the lap.
    """
    known = {**traced, **(exact or {})}
    out = {part.code: known[part.code] for part in parts if part.code in known}
    new = [code for code in out if code not in (exact or {})]
    if new and len(out) == len(parts) and abs(rest := lap_us - sum(out.values())) <= _ROUNDED_US * len(parts):
        out[max(new, key=out.__getitem__)] += rest
    return out or None


def _after(before: Mapping[str, Any], plan: Retiming) -> dict[str, Any]:
    out = dict(before)
    out["sectors"] = plan.sector_times(before["sectors"]) or None if before["sectors"] else before["sectors"]
    out["segments"] = plan.segment_times(before["segments"]) or None if before["segments"] else before["segments"]
    out["strikes"] = tokens(before["strikes"], plan.code)
    out["incidents"] = tokens(before["incidents"], lambda token: recoded(token, ":", plan, last=True))
    out["flags"] = tokens(before["flags"], lambda token: _flag(token, plan))
    out["mistakes"] = tokens(before["mistakes"], lambda token: recoded(token, ":", plan, last=False))
    out["options"] = tokens(before["options"], lambda token: recoded(token, "=", plan, last=False))
    return out


def _flag(token: str, plan: Retiming) -> str:
    return recoded(token, ":", plan, last=True) if ":" in token else token


def tokens(text: str | None, change: Any) -> str | None:
    """A list that is kept as one text, with each of its words changed.

    Args:
        change: gets a word and gives the new one.
    """
    # Two marks at corners that became one are one mark.
    return " ".join(dict.fromkeys(change(token) for token in text.split())) if text else text


def recoded(token: str, sign: str, plan: Retiming, *, last: bool) -> str:
    """A word that holds a corner's code, with the code that the corner has now.

    Args:
        sign: what stands between the code and the rest.
        last: whether the code stands behind the sign.
    """
    first, _, second = token.partition(sign)
    return f"{first}{sign}{plan.code(second)}" if last else f"{plan.code(first)}{sign}{second}"
