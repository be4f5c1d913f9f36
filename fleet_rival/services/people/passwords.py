"""Passwords: rules, hashes, and so many of them at once and no more.

A hash takes memory and a core for a moment, on purpose. Strangers ask for it too, so there are places: two for anybody,
and one more for
browsers in which the person has signed in before, which nobody else can take.
"""

import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from threading import BoundedSemaphore

from argon2 import PasswordHasher
from argon2.exceptions import Argon2Error

from fleet_rival.services.shared.errors import Refused, TooMany

__all__ = ["check_password_rules", "hash_password", "needs_rehash", "password_is"]

SHORTEST_PASSWORD = 12
LONGEST_PASSWORD = 128
_WAIT_SECONDS = 4.0
_hasher = PasswordHasher()
_for_anybody = BoundedSemaphore(2)
_for_known = BoundedSemaphore(1)


def check_password_rules(password: str, *names: str) -> None:
    """Length counts, not kinds of characters; the names that everybody knows don't.

    Raises:
        Refused: the password is too easy, or too long.
    """
    if not SHORTEST_PASSWORD <= len(password) <= LONGEST_PASSWORD:
        raise Refused(
            f"A password needs {SHORTEST_PASSWORD} to {LONGEST_PASSWORD} characters. A few unrelated words make a good "
            "one."
        )
    plain = password.casefold()
    if len(set(plain)) < 5 or any(
        name and name.casefold() in plain for name in (*names, "password", "fleet rival", "fleetrival", "1234567")
    ):
        raise Refused(
            "This password is easy to guess: it holds a name, or few different characters. Take a few unrelated words."
        )


def hash_password(password: str, *, known: bool = False) -> str:
    """What is stored of a password.

    Raises:
        TooMany: so many are hashed at this moment that it would have to wait for long.
    """
    with _place(known):
        return _hasher.hash(password)


def password_is(stored: str | None, password: str, *, known: bool = False) -> bool:
    """Whether this is the password that was stored; takes as long where none was.

    Args:
        known: it comes from a browser in which the person has signed in before.

    Raises:
        TooMany: so many are looked at at this moment that it would have to wait for long.
    """
    with _place(known):
        held = _nobody()  # made at the first sign-in of anybody: a start of the server needn't wait for it
        try:
            return _hasher.verify(stored or held, password[:LONGEST_PASSWORD]) and stored is not None
        except Argon2Error:
            return False


def needs_rehash(stored: str | None) -> bool:
    """Whether a password was stored with weaker parameters than are usual now."""
    return stored is not None and _hasher.check_needs_rehash(stored)


@contextmanager
def _place(known: bool) -> Iterator[None]:
    places = _for_known if known and _for_known.acquire(blocking=False) else _for_anybody
    if places is _for_anybody and not _for_anybody.acquire(timeout=_WAIT_SECONDS):
        raise TooMany("Many are signing in at this moment. Try again in some seconds.", 3)
    try:
        yield
    finally:
        places.release()


@cache
def _nobody() -> str:
    """What a password is held against where there is no such person, so that both take equally long."""
    return _hasher.hash(secrets.token_urlsafe(16))
