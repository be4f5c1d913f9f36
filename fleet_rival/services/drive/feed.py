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
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import partial
from typing import Any, Final, NamedTuple
from uuid import UUID

import orjson
from sqlalchemy import func, select, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.db.events import announce
from fleet_rival.db.session import is_in_the_way, is_passing
from fleet_rival.db.tables import FeedEntry, RigToken
from fleet_rival.db.tenancy import for_all_teams
from fleet_rival.services.drive.feed_taking import Entry, take_laps, take_samples, whole_sets, whose_rig
from fleet_rival.services.drive.live import Known
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import Refused, ServiceError
from fleet_rival.wording.files import LINE_BROKE, LINE_UNREADABLE

__all__ = ["MOST_WAITING", "Accepted", "Line", "Trouble", "accept", "is_full", "take", "take_again", "troubles"]

MOST_WAITING: Final = 20_000
"""Lines of a team that wait to be taken; a rig that comes then is told to come back in a moment."""
_MOST_BYTES_WAITING: Final = 1_000_000_000
_LAPS_AT_ONCE: Final = 500
_TRIED_AGAIN: Final = timedelta(minutes=1)
"""Samples that wait for their lap are tried at once when it comes; and every now and then, lest something was
missed.
"""
_SHOWN: Final = 50

log = logging.getLogger(__name__)


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
            done += _refuse(sessions, row.team_id, [row.id], Refused(LINE_UNREADABLE))
            continue
        by_rig[row.team_id, row.rig_token_id][where].append((row.id, row.lap_key, content))
    for (team_id, rig_id), groups in by_rig.items():
        done += _take_rig(sessions, team_id, rig_id, list(groups.values()))
    for team_id, rig_id, lap_key in whole_sets(sessions):
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
        taking = partial(take_samples, team_id=team_id, rig_id=rig_id, parts=parts, since=since)
        done += _taken_or_refused(sessions, team_id, keys, taking)
    return done


def _take_rig(sessions: sessionmaker[Session], team_id: int, rig_id: int, groups: list[list[Entry]]) -> int:
    """Take laps of one rig in one transaction; where some can't be, each driver's by themselves, then each lap."""

    def work(some: list[list[Entry]]) -> Callable[[Session], bool]:
        def taken(session: Session) -> bool:
            actor = whose_rig(session, team_id, rig_id)
            known = Known(session, actor)
            return all(take_laps(session, actor, known, entries) for entries in some)

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
            reason = Refused(LINE_BROKE)
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
