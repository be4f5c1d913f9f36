"""What drivers did on their way through one part of the lap, read from their traces."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import isfinite
from uuid import UUID

from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.telemetry.features import pass_features
from fleet_rival.db.tables import Combination, Layout
from fleet_rival.services.drive.traces.view import MOST_LAPS, LapKey, read_trace, trace_place
from fleet_rival.services.shared.base import Actor, find_row
from fleet_rival.services.shared.errors import NotThere, Refused
from fleet_rival.services.track.tracks import load_track
from fleet_rival.services.week.combinations import settings_of

__all__ = ["PassView", "passes"]


@dataclass(frozen=True, slots=True)
class PassView:
    """One lap's way through a part: places in metres from the line, speeds in km/h; None where it didn't happen or
    can't be told.
    """

    key: str
    brake_onset_m: float | None
    brake_peak_pct: float | None
    brake_release_m: float | None
    slowest_m: float | None
    slowest_kmh: float | None
    pick_up_m: float | None
    full_throttle_m: float | None
    apex_gear: float | None
    apex_offset_m: float | None


def passes(
    sessions: sessionmaker[Session], actor: Actor, combination_id: UUID, keys: Sequence[str], part: str
) -> list[PassView]:
    """What laps did in one part.

    Args:
        keys: of the laps, as in `overlay`.
        part: a segment's code.

    Raises:
        NotThere: no such part, or a lap that isn't there or has no trace.
        Refused: too many laps.
    """
    if not 1 <= len(keys) <= MOST_LAPS:
        raise Refused(f"Choose 1 to {MOST_LAPS} laps.")
    with sessions() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        settings, track = (
            settings_of(row),
            load_track(session, session.get_one(Layout, row.layout_id), centreline=False),
        )
        places = [trace_place(session, actor, row, LapKey.read(key)) for key in keys]
    index = next((at for at, item in enumerate(track.segment_parts) if item.code == part), None)
    if index is None:
        raise NotThere(f"This layout has no part {part}.")
    out = []
    for key, place in zip(keys, places, strict=True):
        features = pass_features(track, read_trace(place), settings)
        out.append(PassView(key, *(_known(features[name][index]) for name in PassView.__slots__[1:])))
    return out


def _known(value: float) -> float | None:
    return round(float(value), 2) if isfinite(value) else None
