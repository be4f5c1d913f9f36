"""Answers kept until what they depend on changes: a combination's revision, its settings, or the code that computes."""

import hashlib
import json
from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping
from datetime import datetime, timedelta
from functools import cache
from pathlib import Path
from threading import Lock
from typing import Any, Final, NamedTuple
from uuid import UUID

from sqlalchemy import bindparam, delete, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session, sessionmaker

import fleet_rival
from fleet_rival.clock import now
from fleet_rival.db.session import engine_of, is_in_the_way
from fleet_rival.db.tables import Combination, StoredAnalysis
from fleet_rival.db.tenancy import for_all_teams
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.cache.single_flight import Turns
from fleet_rival.services.shared.errors import NotThere

__all__ = ["Compute", "Recent", "as_json", "code_stamp", "kept_answer", "stamp_of", "sweep"]

_AT_ONCE: Final = 10
_SWEPT_AT_ONCE: Final = 500
_FORGOTTEN_AFTER: Final = timedelta(days=7)
"""An answer that no longer holds, and that nobody asked for anew so long, isn't asked for any more."""

Compute = Callable[[Session, Actor, Combination], Mapping[str, bytes]]
"""Makes all answers about a combination, by what they are about."""


def kept_answer(
    sessions: sessionmaker[Session], actor: Actor, combination_id: UUID, about: str, compute: Compute
) -> tuple[bytes, str]:
    """An answer about a combination, from what is kept where that is still right.

    Args:
        about: which of the answers that `compute` makes.

    Returns:
        The answer as JSON, and the stamp of the state that it belongs to.

    Raises:
        NotThere: no such combination, or nothing to be said about this.
    """
    state, body = _at_hand_or_kept(sessions, actor, combination_id, about)
    if body is None:
        # Pages ask for several answers at once that are made together; the first makes them.
        with _turns.of((combination_id, getattr(compute, "func", compute))) as waited:
            if waited:
                state, body = _at_hand_or_kept(sessions, actor, combination_id, about)
            if body is None:
                answers, stamp = _computed(sessions, actor, state.id, compute)
                _keep(sessions, actor, state.id, stamp, answers)
                if about not in answers:
                    raise NotThere("This driver has no laps in this combination.")
                state, body = state._replace(stamp=stamp), answers[about]
    _at_hand.put((combination_id, about, state.stamp), body)
    return body, state.stamp


def as_json(answer: Any) -> bytes:
    """An answer as it is kept and sent.

    Raises:
        ValueError: a number in it is none, which no answer may show.
    """
    return json.dumps(answer, ensure_ascii=False, allow_nan=False, separators=(",", ":")).encode()


class _State(NamedTuple):
    """What an answer is right for."""

    id: int
    stamp: str


def _at_hand_or_kept(
    sessions: sessionmaker[Session], actor: Actor, combination_id: UUID, about: str
) -> tuple[_State, bytes | None]:
    """The combination's state now, and the answer that was kept for it."""
    with engine_of(sessions).connect() as connection:
        # Asked at each look at a page, so one plain query tells whether what is at hand is still right.
        found = connection.execute(_STATE, {"team": actor.team_id, "combination": combination_id}).first()
        if found is None:
            raise NotThere("This combination doesn't exist, or no longer does.")
        state = _State(found.id, stamp_of(found.revision, found.settings))
        body = _at_hand.get((combination_id, about, state.stamp))
        if body is None:
            which = {"team": actor.team_id, "combination": state.id, "about": about, "stamp": state.stamp}
            body = connection.execute(_KEPT, which).scalar()
    return state, body


def _computed(
    sessions: sessionmaker[Session], actor: Actor, combination_id: int, compute: Compute
) -> tuple[Mapping[str, bytes], str]:
    """All answers anew, and the stamp of the state from which they were made: read first, so that it is never too
    new.
    """
    with sessions() as session:
        row = session.get_one(Combination, combination_id)
        return compute(session, actor, row), stamp_of(row.revision, row.settings)


def _keep(
    sessions: sessionmaker[Session], actor: Actor, combination_id: int, stamp: str, answers: Mapping[str, bytes]
) -> None:
    """Keep answers for the next who asks. Two who computed the same at once may get in each other's way: one of them
    keeps it then.
    """
    try:
        # Past the unit of work, as where it is asked for: nobody is told of it, and it is no change of anybody's.
        with engine_of(sessions).begin() as connection:
            rows = [
                {
                    "team_id": actor.team_id,
                    "combination_id": combination_id,
                    "about": about,
                    "stamp": stamp,
                    "body": body,
                    "made_at": now(),
                }
                for about, body in sorted(answers.items())
            ]
            for start in range(0, len(rows), _AT_ONCE):
                statement = insert(StoredAnalysis).values(rows[start : start + _AT_ONCE])
                connection.execute(
                    statement.on_duplicate_key_update(
                        {name: statement.inserted[name] for name in ("stamp", "body", "made_at")}
                    )
                )
    except OperationalError as error:
        if not is_in_the_way(error):
            raise


def sweep(session: Session, moment: datetime) -> None:
    """Throw away answers that no longer hold, for looks and weeks that nobody asks for any more, of all teams."""
    old = (
        select(StoredAnalysis.id, StoredAnalysis.stamp, Combination.revision, Combination.settings)
        .join(
            Combination,
            (Combination.team_id == StoredAnalysis.team_id) & (Combination.id == StoredAnalysis.combination_id),
        )
        .where(StoredAnalysis.made_at < moment - _FORGOTTEN_AFTER)
    )
    gone = [
        key
        for key, stamp, revision, settings in session.execute(for_all_teams(old))
        if stamp != stamp_of(revision, settings)
    ]
    for start in range(0, len(gone), _SWEPT_AT_ONCE):
        session.execute(delete(StoredAnalysis).where(StoredAnalysis.id.in_(gone[start : start + _SWEPT_AT_ONCE])))


_STATE = select(Combination.id, Combination.revision, Combination.settings).where(
    Combination.team_id == bindparam("team"), Combination.public_id == bindparam("combination")
)
_KEPT = select(StoredAnalysis.body).where(
    StoredAnalysis.team_id == bindparam("team"),
    StoredAnalysis.combination_id == bindparam("combination"),
    StoredAnalysis.about == bindparam("about"),
    StoredAnalysis.stamp == bindparam("stamp"),
)


class Recent:
    """The answers asked for last, by a key that names their state: never wrong, whatever other processes do."""

    def __init__(self, most_bytes: int) -> None:
        self._most = most_bytes
        self._held = 0
        self._bodies: OrderedDict[Hashable, bytes] = OrderedDict()
        self._lock = Lock()

    def get(self, key: Hashable) -> bytes | None:
        with self._lock:
            if key in self._bodies:
                self._bodies.move_to_end(key)
            return self._bodies.get(key)

    def put(self, key: Hashable, body: bytes) -> None:
        with self._lock:
            self._held += len(body) - len(self._bodies.pop(key, b""))
            self._bodies[key] = body
            while self._held > self._most:
                self._held -= len(self._bodies.popitem(last=False)[1])


_at_hand = Recent(most_bytes=32_000_000)
_turns = Turns()


def stamp_of(revision: int, settings: Mapping[str, Any]) -> str:
    """What an answer depends on: the combination's revision, its settings, and the code that computes."""
    text = json.dumps([revision, settings, code_stamp()], sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()


@cache
def code_stamp() -> str:
    """Changes with the sources that an answer is made by, so that an update never shows an old one."""
    home = Path(fleet_rival.__file__).parent
    digest = hashlib.sha256(fleet_rival.__version__.encode())
    for path in sorted([*home.glob("core/**/*.py"), *home.glob("wording/*.py"), *home.glob("services/**/*.py")]):
        digest.update(path.read_bytes())
    return digest.hexdigest()
