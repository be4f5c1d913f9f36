"""Traces of chosen laps as a telemetry file, to be taken along."""

import io
from collections.abc import Sequence
from dataclasses import replace
from uuid import UUID

from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.telemetry.trace import OPTIONAL, REQUIRED
from fleet_rival.db.tables import Combination
from fleet_rival.formats.telemetry_export import TelemetryWriter
from fleet_rival.services.drive.traces.view import MOST_LAPS, LapKey, read_trace, trace_place
from fleet_rival.services.shared.base import Actor, find_row
from fleet_rival.services.shared.errors import Refused

__all__ = ["traces_parquet"]


def traces_parquet(sessions: sessionmaker[Session], actor: Actor, combination_id: UUID, keys: Sequence[str]) -> bytes:
    """The traces of some laps as they were recorded, in the telemetry file's columns; a row group each, in the order
    asked for.

    Args:
        keys: of the laps, as for `view.overlay`.

    Raises:
        NotThere: a lap that isn't there, isn't the actor's business, or has no trace.
        Refused: too many laps.
    """
    if not 1 <= len(keys) <= MOST_LAPS:
        raise Refused(f"Choose 1 to {MOST_LAPS} laps.")
    out = io.BytesIO()
    with sessions() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        places = [trace_place(session, actor, row, LapKey.read(key)) for key in dict.fromkeys(keys)]
    traces = [read_trace(place) for place in places]
    known = [name for name in (*REQUIRED, *OPTIONAL) if any(name in trace.channels for trace in traces)]
    with TelemetryWriter(out, known) as writer:
        for trace in traces:
            writer.add(
                replace(trace, channels={name: values for name, values in trace.channels.items() if name in known})
            )
    return out.getvalue()
