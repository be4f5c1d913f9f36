"""Guessing passwords is made slow, and nobody is locked out by somebody else's guesses.

Wrong passwords are counted by name and address together, or, in a browser in which the person has signed in before, by
that browser. After some of them the next try has to wait, longer each time, a minute at most; what is tried meanwhile
counts for nothing. The person is told afterwards. Only keyed hashes of names and addresses are kept.

Source: OWASP, Slow Down Online Guessing Attacks with Device Cookies.
"""

import hmac
import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Final

from sqlalchemy import delete, func, insert, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.db.session import engine_of
from fleet_rival.db.tables import SignInAttempt
from fleet_rival.services.shared.errors import TooMany

__all__ = [
    "FREE_TRIES",
    "LONGEST_WAIT",
    "WINDOW",
    "Wrong",
    "begin",
    "forget",
    "known_browser",
    "new_browser",
    "note_wrong",
    "wrong_ones",
]

WINDOW: Final = timedelta(minutes=15)
FREE_TRIES: Final = 5
LONGEST_WAIT: Final = timedelta(seconds=60)
_TOLD_FOR: Final = timedelta(days=14)


@dataclass(frozen=True, slots=True)
class Wrong:
    """Wrong passwords that were tried for somebody's name."""

    count: int
    last_at: datetime


def new_browser(key: bytes, name: str) -> str:
    """What a browser keeps from now on to be known again, for one name."""
    chance = secrets.token_urlsafe(12)
    return f"{chance}.{_keyed(key, f'browser:{name}:{chance}')}"


def known_browser(key: bytes, name: str, shown: str | None) -> str | None:
    """Which browser this is, if the person of this name has signed in in it before; None: nobody knows it."""
    chance, _, sign = (shown or "").partition(".")
    well = bool(chance) and hmac.compare_digest(sign.encode(), _keyed(key, f"browser:{name}:{chance}").encode())
    return chance if well else None


def begin(sessions: sessionmaker[Session], key: bytes, who: str) -> str:
    """Count a try before it is looked at, so that many at once don't slip through.

    Args:
        who: whose tries are counted together.

    Returns:
        Under what it was counted, for `forget`.

    Raises:
        TooMany: it comes too early after wrong ones; it isn't counted then.
    """
    subject = _keyed(key, who)
    moment = now()
    with engine_of(sessions).begin() as connection:
        connection.execute(delete(SignInAttempt).where(SignInAttempt.failed_at < moment - _TOLD_FOR))
        made = connection.execute(insert(SignInAttempt).values(subject=subject, failed_at=moment)).lastrowid
    with engine_of(sessions).connect() as connection:
        before = (SignInAttempt.subject == subject, SignInAttempt.failed_at >= moment - WINDOW, SignInAttempt.id < made)
        count, last = connection.execute(select(func.count(), func.max(SignInAttempt.failed_at)).where(*before)).one()
    wait = (
        min(LONGEST_WAIT, timedelta(seconds=2 ** min(10, count - FREE_TRIES))) if count >= FREE_TRIES else timedelta()
    )
    left = (last + wait - moment).total_seconds() if last is not None else 0.0
    if left > 0:
        with engine_of(sessions).begin() as connection:
            connection.execute(delete(SignInAttempt).where(SignInAttempt.id == made))
        seconds = max(1, round(left))
        raise TooMany(
            f"Several wrong passwords were tried for this name. Wait {seconds} s, then try again; a browser in which "
            "you signed in before needn't. "
            "If you don't know the password any more, a manager makes a link that lets you in.",
            seconds,
        )
    return subject


def forget(sessions: sessionmaker[Session], subject: str) -> None:
    """A right password: what was wrong before was the person's own typing."""
    with engine_of(sessions).begin() as connection:
        connection.execute(delete(SignInAttempt).where(SignInAttempt.subject == subject))


def note_wrong(sessions: sessionmaker[Session], key: bytes, name: str) -> None:
    """Keep that a wrong password was tried for a name, to tell the person."""
    with engine_of(sessions).begin() as connection:
        connection.execute(insert(SignInAttempt).values(subject=_keyed(key, f"told:{name}"), failed_at=now()))


def wrong_ones(session: Session, key: bytes, name: str) -> Wrong | None:
    """What was tried for a name in the last two weeks; None: nothing wrong."""
    told = (SignInAttempt.subject == _keyed(key, f"told:{name}"), SignInAttempt.failed_at >= now() - _TOLD_FOR)
    count, last = session.execute(select(func.count(), func.max(SignInAttempt.failed_at)).where(*told)).one()
    return Wrong(count, last) if count else None


def _keyed(key: bytes, text: str) -> str:
    return hmac.new(key, text.encode(), "sha256").hexdigest()
