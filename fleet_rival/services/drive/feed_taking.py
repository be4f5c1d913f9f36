"""What a rig delivered is taken into the laps: whole laps at once, samples by their sets."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime, timedelta
from typing import Any, Final

import numpy as np
from sqlalchemy import func, select, update
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.core.telemetry.cutting import cut
from fleet_rival.core.telemetry.filling import filled
from fleet_rival.core.telemetry.trace import CHANNELS, Trace
from fleet_rival.db.events import announce
from fleet_rival.db.tables import FeedEntry, Lap, RigToken, TraceRow
from fleet_rival.db.tenancy import for_all_teams
from fleet_rival.services.drive.live import Delivery, Known, Landing, deliver_within, landing_of
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import NotThere, Refused
from fleet_rival.services.shared.revisions import raise_revisions
from fleet_rival.services.shared.trace_files import fill_laps, keep_traces, trace_sink
from fleet_rival.wording.telemetry import STRANGE

__all__ = ["Entry", "take_laps", "take_samples", "whole_sets", "whose_rig"]

_SETS_AT_ONCE: Final = 40


_LAP_COMES_WITHIN: Final = timedelta(hours=12)
"""After this it is told that samples wait for a lap. When it comes after all, they are taken."""


Entry = tuple[int, str, dict[str, Any]]
"""A line's key, its lap's digest, and what it says."""


def whose_rig(session: Session, team_id: int, rig_id: int) -> Actor:
    """In whose name a rig's laps come in: whoever let it deliver."""
    person_id = session.scalars(select(RigToken.person_id).where(RigToken.id == rig_id)).one()
    return Actor(team_id, person_id, "rig", rig_token_id=rig_id)


def take_laps(session: Session, actor: Actor, known: Known, entries: Sequence[Entry]) -> bool:
    """Write laps that a rig delivered.

    Args:
        entries: of one combination, driver and session, in the order in which they came.

    Returns:
        True: they are taken.
    """
    head = entries[0][2]
    laps = [_lap(content) for _, _, content in entries]
    told = [content["lap"] for _, _, content in entries]
    places = {(item["run"], item["lap"]): item["lap_of_run"] for item in told if item.get("lap_of_run") is not None}
    begun = {item["run"]: datetime.fromisoformat(item["run_began_at"]) for item in told if item.get("run_began_at")}
    deliver_within(session, actor, _delivery(head, laps, places, begun), known)
    # Samples that waited for these laps can be taken now, however long they did.
    keys = {lap_key for _, lap_key, _ in entries}
    which = (
        FeedEntry.rig_token_id == actor.rig_token_id,
        FeedEntry.lap_key.in_(keys),
        FeedEntry.kind == "samples",
        FeedEntry.state != "taken",
    )
    again = update(FeedEntry).where(*which).values(due_at=now(), state="waiting", reason=None)
    session.execute(again, execution_options={"synchronize_session": False})
    return True


def _delivery(
    head: Mapping[str, Any],
    laps: Iterable[CoreLap],
    places: Mapping[tuple[int, int], int] | None = None,
    begun: Mapping[int, datetime] | None = None,
) -> Delivery:
    inside = datetime.fromisoformat(head["session_local"]) if head.get("session_local") else None
    names = {name: head[name] for name in ("track", "layout", "car", "driver", "session")}
    return Delivery(**names, laps=tuple(laps), session_local=inside, places=places or {}, begun=begun or {})


_NOT_OF_THE_LAP: Final = frozenset({"lap", "lap_of_run", "run_began_at", "started_at", "flags", "strikes"})


def _lap(content: Mapping[str, Any]) -> CoreLap:
    told = content["lap"]
    values = {name: value for name, value in told.items() if name not in _NOT_OF_THE_LAP and value is not None}
    started = datetime.fromisoformat(told["started_at"]) if told.get("started_at") else None
    return CoreLap(
        driver=content["driver"],
        session=content["session"],
        number=told["lap"],
        started_at=started,
        flags=frozenset(told.get("flags") or ()),
        strikes=tuple(told.get("strikes") or ()),
        **values,
    )


def whole_sets(sessions: sessionmaker[Session]) -> list[tuple[int, int, str]]:
    """Laps all of whose samples are there and that are due."""
    query = (
        select(FeedEntry.team_id, FeedEntry.rig_token_id, FeedEntry.lap_key)
        .where(FeedEntry.state == "waiting", FeedEntry.kind == "samples", FeedEntry.due_at <= now())
        .group_by(FeedEntry.team_id, FeedEntry.rig_token_id, FeedEntry.lap_key)
        .having(func.count() >= func.max(FeedEntry.parts))
        .limit(_SETS_AT_ONCE)
    )
    with sessions() as session:
        return [(team_id, rig_id, lap_key) for team_id, rig_id, lap_key in session.execute(for_all_teams(query))]


def take_samples(session: Session, team_id: int, rig_id: int, parts: Sequence[dict[str, Any]], since: datetime) -> bool:
    """Give a lap its trace. False: the lap isn't there yet.

    Args:
        since: when the last of them came.

    Raises:
        NotThere: the team has no such combination, or no such driver; or the lap hasn't come for long.
        Refused: they are of another lap.
    """
    by_part = {item["part"]: item for item in parts}
    ordered = [by_part[number] for number in sorted(by_part)]
    head = ordered[0]
    if len(ordered) < head["parts"]:
        return False
    actor = whose_rig(session, team_id, rig_id)
    landing = landing_of(session, actor, _delivery(head, ()))
    found = _stored(session, landing, head["run"], head["lap"]) if landing is not None else None
    if landing is None or found is None:
        if now() - since > _LAP_COMES_WITHIN:
            raise NotThere(
                f"Samples of {head['driver']} in session {head['session']} are there, and their laps aren't."
            )
        return False
    if session.scalar(select(TraceRow.id).where(TraceRow.team_id == team_id, TraceRow.lap_id == found.id)) is not None:
        return True
    names = [name for name in CHANNELS if all(name in item["channels"] for item in ordered)]
    channels = {
        name: np.concatenate([np.asarray(item["channels"][name], dtype=float) for item in ordered]) for name in names
    }
    trace = Trace(head["driver"], head["session"], head["run"], head["lap"], channels)
    what = cut(landing.track, trace)
    before = CoreLap(
        head["driver"], head["lap"], found.time_us, sectors=found.sectors or {}, segments=found.segments or {}
    )
    after = filled(before, what)
    if after is None:
        raise Refused(
            f"Samples of {head['driver']} in session {head['session']}, lap {head['lap']}: {STRANGE['differs']}."
        )
    with trace_sink(names) as sink:
        kept = sink.add(trace, what)
    # The lap goes with the rig's act as long as it came in that.
    recorded = found.change_set_id != landing.change_set.id
    fill_laps(session, landing.change_set, [(found.id, found.version, before, after)], recorded=recorded)
    keep_traces(session, team_id, landing.combination.id, sink, [(found.id, kept)], recorded=recorded)
    raise_revisions(session, team_id, [landing.combination.id])
    announce(session, team_id, "telemetry.deliver", landing.combination.public_id)
    return True


def _stored(session: Session, landing: Landing, run: int, number: int) -> Any:
    columns = (Lap.id, Lap.version, Lap.change_set_id, Lap.time_us, Lap.sectors, Lap.segments)
    own = (
        Lap.team_id == landing.practice.team_id,
        Lap.session_id == landing.practice.id,
        Lap.driver_id == landing.driver.id,
    )
    return session.execute(select(*columns).where(*own, Lap.run == run, Lap.number == number)).first()
