"""What is shown of traces: which laps have some, and several of them over each other, as many points as a screen can
show.
"""

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any, Final, NamedTuple
from uuid import UUID

import numpy as np
import orjson
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.laps.verdict import Use
from fleet_rival.core.telemetry.comparing import Aligned, aligned, difference
from fleet_rival.core.telemetry.soundness import Stretch
from fleet_rival.core.telemetry.trace import CHANNELS, Samples, Trace
from fleet_rival.db.tables import Combination, Driver, Lap, LapVerdict, Layout, PracticeSession, TraceFile, TraceRow
from fleet_rival.formats.telemetry import TelemetryFile
from fleet_rival.services.drive.verdicts import counts_for, settle
from fleet_rival.services.shared.base import Actor, find_row
from fleet_rival.services.shared.cache.answers import Recent
from fleet_rival.services.shared.errors import NotThere, Refused
from fleet_rival.services.track.tracks import load_track
from fleet_rival.telemetry.store import store
from fleet_rival.wording.telemetry import stretch_sentence

__all__ = [
    "MOST_LAPS",
    "LapKey",
    "Overlay",
    "TracePlace",
    "TracedLap",
    "overlay",
    "read_trace",
    "trace_place",
    "traced_laps",
]

MOST_LAPS: Final = 12
_PLACES: Final = 1200
"""At so many places the difference is told."""
_DECIMALS: Final = {"speed_kmh": 2, "throttle_pct": 1, "brake_pct": 1, "steering_deg": 1, "rpm": 0, "gear": 0}
_at_hand = Recent(most_bytes=96_000_000)


class LapKey(NamedTuple):
    """A lap by what tells it from others."""

    session_id: UUID
    driver_id: UUID
    run: int
    number: int

    @classmethod
    def read(cls, text: str) -> "LapKey":
        """From `session:driver:run:lap`.

        Raises:
            Refused: it isn't one.
        """
        try:
            session_id, driver_id, run, number = text.split(":")
            return cls(UUID(session_id), UUID(driver_id), int(run), int(number))
        except ValueError as error:
            raise Refused(f"{text} names no lap.") from error

    def __str__(self) -> str:
        return f"{self.session_id}:{self.driver_id}:{self.run}:{self.number}"


@dataclass(frozen=True, slots=True)
class TracedLap:
    """A lap that has a trace."""

    key: str
    driver: str
    session: str
    run: int
    number: int
    time_us: int
    kind: str
    counts: bool
    """It counts for consistency and pace: good to be compared with."""
    started_at: datetime | None
    rate_hz: float
    channels: tuple[str, ...]
    told: tuple[str, ...]
    """What can't be used of it."""


@dataclass(frozen=True, slots=True)
class OverlaidLap:
    """One lap's line, and how far it has fallen behind the first."""

    key: str
    by: str
    distance_m: list[float]
    values: list[float | None]
    behind_s: list[float | None]
    """At the overlay's places; of the first lap zeros."""
    stretches: tuple[dict[str, Any], ...]
    missing: bool
    """Whether it lacks this channel."""


@dataclass(frozen=True, slots=True)
class Overlay:
    """Laps over each other in one channel, within a stretch."""

    channel: str
    start_m: float
    end_m: float
    places_m: list[float]
    laps: tuple[OverlaidLap, ...]


def traced_laps(sessions: sessionmaker[Session], actor: Actor, combination_id: UUID) -> list[TracedLap]:
    """A combination's laps with traces, the newest session first; a driver's own alone for who doesn't see all."""
    settle(sessions, actor, [combination_id])
    with sessions() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        query = (
            select(Lap, PracticeSession, Driver, TraceRow, counts_for(Use.CLEAN))
            .join(TraceRow, (TraceRow.team_id == Lap.team_id) & (TraceRow.lap_id == Lap.id))
            .join(PracticeSession, (PracticeSession.team_id == Lap.team_id) & (PracticeSession.id == Lap.session_id))
            .join(Driver, (Driver.team_id == Lap.team_id) & (Driver.id == Lap.driver_id))
            .outerjoin(LapVerdict, (LapVerdict.team_id == Lap.team_id) & (LapVerdict.lap_id == Lap.id))
            .where(Lap.team_id == actor.team_id, Lap.combination_id == row.id)
            .order_by(PracticeSession.id.desc(), Driver.name, Lap.run, Lap.number)
        )
        if not actor.sees_all:
            query = query.where(Lap.driver_id == (actor.driver_id or 0))
        return [_traced(*found) for found in session.execute(query)]


def _traced(lap: Lap, practice: PracticeSession, driver: Driver, trace: TraceRow, counts: bool | None) -> TracedLap:
    key = LapKey(practice.public_id, driver.public_id, lap.run, lap.number)
    told = tuple(stretch_sentence(Stretch.from_plain(item)) for item in trace.stretches)
    channels = tuple(trace.channels)
    return TracedLap(
        str(key),
        driver.name,
        practice.label,
        lap.run,
        lap.number,
        lap.time_us,
        lap.kind,
        bool(counts),
        lap.started_at,
        trace.rate_hz,
        channels,
        told,
    )


def overlay(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    keys: Sequence[str],
    channel: str,
    start_m: float | None = None,
    end_m: float | None = None,
    points: int = 1000,
) -> Overlay:
    """Lay laps over each other.

    Args:
        keys: of the laps; the first is the one that the others are compared with.
        channel: what is drawn.
        start_m, end_m: the stretch that is looked at; the whole lap where missing.
        points: at most so many of each lap, chosen so that every peak stays (MinMaxLTTB; Donckt, Donckt, Rademaker &
            Van Hoecke 2023).

    Raises:
        NotThere: a lap that isn't there, or has no trace.
        Refused: too many laps, or a channel that there isn't.
    """
    if not 1 <= len(keys) <= MOST_LAPS:
        raise Refused(f"Choose 1 to {MOST_LAPS} laps.")
    if channel not in CHANNELS:
        raise Refused(f"There is no channel {channel}. Channels are {', '.join(CHANNELS)}.")
    with sessions() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        length = load_track(session, session.get_one(Layout, row.layout_id), centreline=False).length_m
        places = [trace_place(session, actor, row, LapKey.read(key)) for key in keys]
    low, high = max(0.0, start_m or 0.0), min(length, length if end_m is None else end_m)
    if high - low < 1:
        raise Refused("The stretch must be a metre long at least.")
    grid = np.linspace(low, high, min(_PLACES, max(2, int((high - low) * 2))))
    reference = _aligned(places[0], length, None)
    laps = []
    for key, place in zip(keys, places, strict=True):
        lap = reference if place == places[0] else _aligned(place, length, (places[0], reference))
        laps.append(_overlaid(key, lap, reference, channel, (low, high), grid, points))
    return Overlay(channel, low, high, [round(float(place), 2) for place in grid], tuple(laps))


class TracePlace(NamedTuple):
    """Where the samples of a lap lie."""

    digest: str
    row_group: int


def trace_place(session: Session, actor: Actor, row: Combination, key: LapKey) -> TracePlace:
    """Find the samples of a lap.

    Raises:
        NotThere: the lap isn't there, has no trace, or isn't the actor's business.
    """
    query = (
        select(TraceFile.sha256, TraceRow.row_group, Lap.driver_id)
        .join(TraceRow, (TraceRow.team_id == Lap.team_id) & (TraceRow.lap_id == Lap.id))
        .join(TraceFile, (TraceFile.team_id == TraceRow.team_id) & (TraceFile.id == TraceRow.file_id))
        .join(PracticeSession, (PracticeSession.team_id == Lap.team_id) & (PracticeSession.id == Lap.session_id))
        .join(Driver, (Driver.team_id == Lap.team_id) & (Driver.id == Lap.driver_id))
        .where(Lap.team_id == actor.team_id, Lap.combination_id == row.id, PracticeSession.public_id == key.session_id)
        .where(Driver.public_id == key.driver_id, Lap.run == key.run, Lap.number == key.number)
    )
    found = session.execute(query).first()
    if found is None or (not actor.sees_all and found.driver_id != actor.driver_id):
        raise NotThere("One of these laps isn't there, or has no trace.")
    return TracePlace(found.sha256, found.row_group)


def _aligned(place: TracePlace, length: float, reference: tuple[TracePlace, Aligned] | None) -> Aligned:
    """A lap laid over the reference, from what is at hand. It is named by content, so that it is never wrong."""
    key = (place, length, reference[0] if reference else None)
    kept = _at_hand.get(key)
    if kept is not None:
        return _unpacked(kept)
    made = aligned(read_trace(place), length, reference[1] if reference else None)
    _at_hand.put(key, _packed(made))
    return made


def read_trace(place: TracePlace) -> Trace:
    """The samples of a lap."""
    with store().open_traces(place.digest) as opened:
        [trace] = list(TelemetryFile(opened, place.digest).groups([place.row_group]))
    return trace


def _packed(lap: Aligned) -> bytes:
    head = {
        "by": lap.by,
        "stretches": [asdict(item) for item in lap.stretches],
        "names": list(lap.channels),
        "count": len(lap.distance_m),
    }
    plain = orjson.dumps(head)
    exact = [lap.distance_m, lap.time_s]
    return b"".join(
        [
            len(plain).to_bytes(4, "little"),
            plain,
            *(values.astype(np.float64).tobytes() for values in exact),
            *(values.astype(np.float32).tobytes() for values in lap.channels.values()),
        ]
    )


def _unpacked(body: bytes) -> Aligned:
    size = int.from_bytes(body[:4], "little")
    head = orjson.loads(body[4 : 4 + size])
    count, at = head["count"], 4 + size
    arrays: list[Samples] = []
    for kind in [np.float64, np.float64, *([np.float32] * len(head["names"]))]:
        arrays.append(np.frombuffer(body, dtype=kind, count=count, offset=at))
        at += count * np.dtype(kind).itemsize
    stretches = tuple(Stretch.from_plain(item) for item in head["stretches"])
    return Aligned(arrays[0], arrays[1], dict(zip(head["names"], arrays[2:], strict=True)), stretches, head["by"])


def _overlaid(
    key: str, lap: Aligned, reference: Aligned, channel: str, stretch: tuple[float, float], grid: Samples, points: int
) -> OverlaidLap:
    low, high = stretch
    values = {"distance_m": lap.distance_m, "time_s": lap.time_s}.get(channel, lap.channels.get(channel))
    behind = difference(reference, lap, grid) if lap is not reference else np.zeros(len(grid))
    told = tuple(asdict(item) for item in lap.stretches if item.end_m >= low and item.start_m <= high)
    behind_plain = [None if not np.isfinite(value) else round(float(value), 4) for value in behind]
    if values is None or not np.isfinite(values).any():
        return OverlaidLap(key, lap.by, [], [], behind_plain, told, missing=True)
    # One sample beyond either end, so that the line goes on to the edge.
    first = max(0, int(np.searchsorted(lap.distance_m, low)) - 1)
    after = min(len(lap.distance_m), int(np.searchsorted(lap.distance_m, high, side="right")) + 1)
    where, shown = _thinned(lap.distance_m[first:after], np.asarray(values[first:after], dtype=np.float64), points)
    decimals = _DECIMALS.get(channel, 3)
    plain = [None if not np.isfinite(value) else round(float(value), decimals) for value in shown]
    return OverlaidLap(
        key, lap.by, [round(float(place), 2) for place in where], plain, behind_plain, told, missing=False
    )


def _thinned(where: Samples, values: Samples, points: int) -> tuple[Samples, Samples]:
    """As many points as are wanted, by MinMaxLTTB; unknown values stay gaps."""
    if len(where) <= points:
        return where, values
    from tsdownsample import MinMaxLTTBDownsampler  # noqa: PLC0415

    thin: Any = MinMaxLTTBDownsampler

    known = np.isfinite(values)
    chosen = np.flatnonzero(known)
    picked = chosen[
        thin().downsample(np.ascontiguousarray(where[known]), np.ascontiguousarray(values[known]), n_out=points)
    ]
    # The edge of each gap and one unknown value in it.
    gaps = np.flatnonzero(~known & np.concatenate([[True], known[:-1]]))
    keep = np.unique(np.concatenate([picked, gaps, np.maximum(gaps - 1, 0)])).astype(int)
    return where[keep], values[keep]
