"""What rigs send while people drive: written down at once, then taken into laps.

A line is acknowledged once it is committed here. Its key, made by the rig, lets it be sent again without harm. Lines
are taken in any order:
laps by themselves, samples once all lines of a lap are there and the lap is. What can't be taken (a driver that the
team doesn't have) is kept
with the reason, so that it can be taken after all.
"""

import hashlib
import logging
from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import partial
from typing import Any, Final, NamedTuple
from uuid import UUID

import numpy as np
import orjson
from sqlalchemy import func, select, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.core.telemetry.cutting import cut
from fleet_rival.core.telemetry.filling import filled
from fleet_rival.core.telemetry.trace import CHANNELS, Trace
from fleet_rival.db.events import announce
from fleet_rival.db.session import is_in_the_way, is_passing
from fleet_rival.db.tables import FeedEntry, Lap, RigToken, TraceRow
from fleet_rival.db.tenancy import for_all_teams
from fleet_rival.services.drive.live import Delivery, Known, Landing, deliver_within, landing_of
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import NotThere, Refused, ServiceError
from fleet_rival.services.shared.revisions import raise_revisions
from fleet_rival.services.shared.trace_files import fill_laps, keep_traces, trace_sink
from fleet_rival.wording.telemetry import STRANGE

__all__ = ["MOST_WAITING", "Accepted", "Line", "Trouble", "accept", "is_full", "take", "take_again", "troubles"]

MOST_WAITING: Final = 20_000
"""Lines of a team that wait to be taken; a rig that comes then is told to come back in a moment."""
_MOST_BYTES_WAITING: Final = 1_000_000_000
_LAPS_AT_ONCE: Final = 500
_SETS_AT_ONCE: Final = 40
_TRIED_AGAIN: Final = timedelta(minutes=1)
"""Samples that wait for their lap are tried at once when it comes; and every now and then, lest something was
missed.
"""
_LAP_COMES_WITHIN: Final = timedelta(hours=12)
"""After this it is told that samples wait for a lap. When it comes after all, they are taken."""
_SHOWN: Final = 50

log = logging.getLogger(__name__)

Entry = tuple[int, str, dict[str, Any]]
"""A line's key, its lap's digest, and what it says."""


class Line(NamedTuple):
    """One line, checked at the border.

    Attributes:
        key: made by the rig; the same key is the same line.
        kind: `lap` or `samples`.
        content: what it says, as plain values.
    """

    key: str
    kind: str
    content: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class Accepted:
    """What became of lines."""

    new: int
    again: int
    """There already under the same key."""


@dataclass(frozen=True, slots=True)
class Trouble:
    """Lines of one rig that can't be taken, for one reason."""

    rig: str
    rig_id: UUID
    reason: str
    lines: int
    last_at: datetime


def accept(sessions: sessionmaker[Session], actor: Actor, lines: Sequence[Line]) -> Accepted:
    """Write lines down. When this returns they are committed."""
    if not lines:
        return Accepted(0, 0)
    moment = now()
    head = {
        "team_id": actor.team_id,
        "rig_token_id": actor.rig_token_id,
        "came_at": moment,
        "due_at": moment,
        "state": "waiting",
    }
    rows = [
        {
            **head,
            "entry_key": line.key,
            "kind": line.kind,
            "lap_key": _lap_key(line.content),
            "parts": line.content.get("parts", 1),
            "content": orjson.dumps(line.content),
        }
        for line in lines
    ]
    with sessions.begin() as session:
        keys = [line.key for line in lines]
        own = (FeedEntry.rig_token_id == actor.rig_token_id, FeedEntry.entry_key.in_(keys))
        there = set(session.scalars(select(FeedEntry.entry_key).where(*own)))
        new = {row["entry_key"]: row for row in rows if row["entry_key"] not in there}
        if new:
            # Ignored: a key that came meanwhile on another connection.
            session.connection().execute(insert(FeedEntry).prefix_with("IGNORE"), list(new.values()))
    return Accepted(len(new), len(lines) - len(new))


def _lap_key(content: Mapping[str, Any]) -> str:
    number, run = (
        (content["lap"]["lap"], content["lap"]["run"])
        if isinstance(content["lap"], dict)
        else (content["lap"], content["run"])
    )
    names = [content[name] for name in ("track", "layout", "car", "driver", "session")]
    return hashlib.sha256(orjson.dumps([*names, run, number])).hexdigest()


def is_full(sessions: sessionmaker[Session], actor: Actor) -> bool:
    """Whether so much waits to be taken that more had better come later."""
    with sessions() as session:
        waiting = (FeedEntry.team_id == actor.team_id, FeedEntry.state != "taken")
        some = select(func.length(FeedEntry.content).label("size")).where(*waiting).limit(MOST_WAITING).subquery()
        count, size = session.execute(select(func.count(), func.coalesce(func.sum(some.c.size), 0))).one()
        return int(count) >= MOST_WAITING or int(size) >= _MOST_BYTES_WAITING


def take(sessions: sessionmaker[Session]) -> int:
    """Take what waits, of all teams, as far as one round goes.

    Returns:
        How many lines were taken or refused; 0: nothing to do.
    """
    done = 0
    with sessions() as session:
        own = (FeedEntry.state == "waiting", FeedEntry.kind == "lap", FeedEntry.due_at <= now())
        waiting = select(
            FeedEntry.id, FeedEntry.team_id, FeedEntry.rig_token_id, FeedEntry.lap_key, FeedEntry.content
        ).where(*own)
        found = session.execute(for_all_teams(waiting.order_by(FeedEntry.id).limit(_LAPS_AT_ONCE))).all()
    by_rig: dict[tuple[int, int], dict[tuple[str, ...], list[Entry]]] = defaultdict(lambda: defaultdict(list))
    for row in found:
        try:
            content = orjson.loads(row.content)
            where = tuple(content[name] for name in ("track", "layout", "car", "driver", "session"))
        except (ValueError, KeyError, TypeError):
            done += _refuse(sessions, row.team_id, [row.id], Refused("This line can't be read any more."))
            continue
        by_rig[row.team_id, row.rig_token_id][where].append((row.id, row.lap_key, content))
    for (team_id, rig_id), groups in by_rig.items():
        done += _take_rig(sessions, team_id, rig_id, list(groups.values()))
    for team_id, rig_id, lap_key in _whole_sets(sessions):
        with sessions() as session:
            rows = session.execute(
                select(FeedEntry.id, FeedEntry.content, FeedEntry.came_at).where(
                    FeedEntry.rig_token_id == rig_id,
                    FeedEntry.lap_key == lap_key,
                    FeedEntry.kind == "samples",
                    FeedEntry.state == "waiting",
                )
            ).all()
        parts, keys = [orjson.loads(row.content) for row in rows], [row.id for row in rows]
        since = max((row.came_at for row in rows), default=now())
        taking = partial(_take_samples, team_id=team_id, rig_id=rig_id, parts=parts, since=since)
        done += _taken_or_refused(sessions, team_id, keys, taking)
    return done


def _take_rig(sessions: sessionmaker[Session], team_id: int, rig_id: int, groups: list[list[Entry]]) -> int:
    """Take laps of one rig in one transaction; where some can't be, each driver's by themselves, then each lap."""

    def work(some: list[list[Entry]]) -> Callable[[Session], bool]:
        def taken(session: Session) -> bool:
            actor = _actor(session, team_id, rig_id)
            known = Known(session, actor)
            return all(_take_laps(session, actor, known, entries) for entries in some)

        return taken

    keys = [key for entries in groups for key, _, _ in entries]
    with suppress(_CantBeTaken):
        return _try(sessions, keys, work(groups))
    done = 0
    for entries in groups:
        try:
            done += _try(sessions, [key for key, _, _ in entries], work([entries]))
        except _CantBeTaken:
            done += sum(_taken_or_refused(sessions, team_id, [entry[0]], work([[entry]])) for entry in entries)
    return done


class _CantBeTaken(Exception):
    """These lines can't be taken, for a reason of their own; others can."""


def _taken_or_refused(
    sessions: sessionmaker[Session], team_id: int, keys: Sequence[int], work: Callable[[Session], bool]
) -> int:
    """Take lines, or keep them with the reason why they can't be taken: whatever they hold, those behind them go on."""
    try:
        return _try(sessions, keys, work)
    except _CantBeTaken as error:
        reason = error.__cause__
        if not isinstance(reason, ServiceError):
            log.error("a line of a rig met an error of the server's own", exc_info=reason)
            reason = Refused("It met an error of the server's own and is kept. The log under var/log says more.")
        return _refuse(sessions, team_id, keys, reason)


def _try(sessions: sessionmaker[Session], keys: Sequence[int], work: Callable[[Session], bool]) -> int:
    """Do something with lines in one transaction, so that they are taken exactly once.

    Returns:
        How many were taken; 0 where it must wait for something.

    Raises:
        _CantBeTaken: from whatever they brought about.
        DBAPIError: the database is away or in trouble: they can be taken later.
    """
    entries = update(FeedEntry).where(FeedEntry.id.in_(keys))
    quiet: Any = {"synchronize_session": False}
    try:
        with sessions.begin() as session:
            # Locked first: who takes the same lines at the same time finds them taken.
            waiting = session.scalars(
                select(FeedEntry.id).where(FeedEntry.id.in_(keys), FeedEntry.state == "waiting").with_for_update()
            ).all()
            if len(waiting) != len(keys):
                return 0
            if not work(session):
                session.execute(entries.values(due_at=now() + _TRIED_AGAIN), execution_options=quiet)
                return 0
            session.execute(entries.values(state="taken", content=None, reason=None), execution_options=quiet)
    except OSError as error:
        # The disk may be full: the lines wait, and others needn't.
        log.warning("lines of a rig can't be written now: %s", error.strerror or error)
        with sessions.begin() as session:
            session.execute(entries.values(due_at=now() + _TRIED_AGAIN), execution_options=quiet)
        return 0
    except Exception as error:
        if is_in_the_way(error):
            return 0
        if is_passing(error):
            raise  # nobody's line's fault
        raise _CantBeTaken from error
    return len(keys)


def _refuse(sessions: sessionmaker[Session], team_id: int, keys: Sequence[int], error: ServiceError) -> int:
    """Keep lines with the reason why they can't be taken."""
    with sessions.begin() as session:
        session.execute(
            update(FeedEntry).where(FeedEntry.id.in_(keys)).values(state="refused", reason=str(error)[:300])
        )
        announce(session, team_id, "feed.trouble")
    return len(keys)


def _actor(session: Session, team_id: int, rig_id: int) -> Actor:
    person_id = session.scalars(select(RigToken.person_id).where(RigToken.id == rig_id)).one()
    return Actor(team_id, person_id, "rig", rig_token_id=rig_id)


def _take_laps(session: Session, actor: Actor, known: Known, entries: Sequence[Entry]) -> bool:
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


def _whole_sets(sessions: sessionmaker[Session]) -> list[tuple[int, int, str]]:
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


def _take_samples(
    session: Session, team_id: int, rig_id: int, parts: Sequence[dict[str, Any]], since: datetime
) -> bool:
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
    actor = _actor(session, team_id, rig_id)
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


def troubles(sessions: sessionmaker[Session], actor: Actor) -> list[Trouble]:
    """What rigs sent and can't be taken, by rig and reason."""
    query = (
        select(RigToken.name, RigToken.public_id, FeedEntry.reason, func.count(), func.max(FeedEntry.came_at))
        .join(RigToken, RigToken.id == FeedEntry.rig_token_id)
        .where(FeedEntry.team_id == actor.team_id, FeedEntry.state == "refused")
        .group_by(RigToken.name, RigToken.public_id, FeedEntry.reason)
        .order_by(func.max(FeedEntry.came_at).desc())
        .limit(_SHOWN)
    )
    with sessions() as session:
        return [
            Trouble(rig, rig_id, reason or "", lines, last)
            for rig, rig_id, reason, lines, last in session.execute(query)
        ]


def take_again(sessions: sessionmaker[Session], actor: Actor) -> int:
    """Have refused lines tried once more, after what was missing is there."""
    with sessions.begin() as session:
        which = (FeedEntry.team_id == actor.team_id, FeedEntry.state == "refused")
        result: Any = session.execute(
            update(FeedEntry).where(*which).values(state="waiting", due_at=now(), reason=None)
        )
        announce(session, actor.team_id, "feed.trouble")
        return int(result.rowcount)
