"""Signing in: passwords, the browsers in which somebody is signed in, and limits on trying.

Secrets are never stored: of a password its argon2id hash, of a browser's token and of an invitation's link the SHA-256.
"""

import hashlib
import secrets
import unicodedata
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from sqlalchemy import and_, bindparam, delete, select, update
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.units import resolved
from fleet_rival.db.session import engine_of
from fleet_rival.db.tables import Driver, Membership, Person, RigToken, SignIn, Team
from fleet_rival.db.tenancy import for_all_teams
from fleet_rival.services.people import guessing
from fleet_rival.services.people.passwords import hash_password, needs_rehash, password_is
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import NotThere, Refused

__all__ = [
    "ABSOLUTE_LIFE",
    "Browser",
    "Signed",
    "browsers",
    "end_all",
    "end_one",
    "hash_of",
    "open_team",
    "password_fits",
    "rig",
    "sign_in",
    "sign_in_name",
    "sign_out",
    "signed_in",
    "start",
]

IDLE_LIFE = timedelta(hours=24)
ABSOLUTE_LIFE = timedelta(days=14)
_NOTED_EVERY = timedelta(minutes=5)
"""How exactly it is noted when a browser was used last: not a write for each request."""


@dataclass(frozen=True, slots=True)
class Signed:
    """Who is signed in with a token."""

    sign_in_id: int
    person_id: int
    actor: Actor | None
    """None where the person is in no team any more."""
    units: Mapping[str, str]
    """In which quantities are told to them, by quantity."""


@dataclass(frozen=True, slots=True)
class Browser:
    """A browser in which a person is signed in."""

    id: UUID
    browser: str
    began_at: datetime
    used_at: datetime
    this_one: bool


def hash_of(token: str) -> str:
    """What is kept of a browser's token: who reads the database can't sign in with it."""
    return hashlib.sha256(token.encode()).hexdigest()


def sign_in_name(text: str) -> str:
    """A name to sign in with, as it is stored: without blanks around it, without a difference of case.

    Raises:
        Refused: too short, too long, or with a blank in it.
    """
    name = unicodedata.normalize("NFKC", text).strip().casefold()
    if not 2 <= len(name) <= 120 or any(character.isspace() for character in name):
        raise Refused("The name to sign in with needs 2 to 120 characters without a blank.")
    return name


def sign_in(
    sessions: sessionmaker[Session],
    name: str,
    password: str,
    address: str,
    key: bytes,
    browser: str,
    kept: str | None = None,
) -> tuple[str, str]:
    """Sign a person in.

    Args:
        address: where the request comes from.
        key: the installation's secret: of names and addresses only keyed hashes are kept.
        kept: what the browser kept from an earlier sign-in of this name, if any.

    Returns:
        A new token for the browser, and what it keeps to be known again.

    Raises:
        Refused: name or password are wrong, which of them isn't told; or the person is in no team.
        TooMany: tried too early after wrong passwords, or many are signing in at this moment.
    """
    try:
        stored_name = sign_in_name(name)
    except Refused:
        stored_name = ""
    known = guessing.known_browser(key, stored_name, kept)
    subject = guessing.begin(
        sessions, key, f"{stored_name}:browser:{known}" if known else f"{stored_name}:address:{address}"
    )
    with sessions() as session:
        found = session.execute(
            select(Person.id, Person.password_hash).where(Person.sign_in_name == stored_name)
        ).first()
    # Nothing of the database is held while it is looked at.
    if not password_is(found.password_hash if found else None, password, known=bool(known)) or found is None:
        guessing.note_wrong(sessions, key, stored_name)
        raise Refused("The name or the password isn't right. Check both, then try again.")
    anew = hash_password(password, known=bool(known)) if needs_rehash(found.password_hash) else None
    with sessions.begin() as session:
        if anew is not None:
            session.execute(
                update(Person)
                .where(Person.id == found.id, Person.password_hash == found.password_hash)
                .values(password_hash=anew)
            )
        team_id = session.scalar(
            select(Membership.team_id).where(Membership.person_id == found.id).order_by(Membership.id).limit(1)
        )
        if team_id is None:
            raise Refused("You aren't in a team any more. Ask its manager for an invitation.")
        last = session.scalar(
            select(SignIn.team_id).where(SignIn.person_id == found.id).order_by(SignIn.used_at.desc()).limit(1)
        )
        member = select(Membership.id).where(Membership.person_id == found.id, Membership.team_id == last)
        token = start(session, found.id, last if last and session.scalar(member) else team_id, browser)
    guessing.forget(sessions, subject)
    return token, kept if known and kept else guessing.new_browser(key, stored_name)


def start(session: Session, person_id: int, team_id: int, browser: str) -> str:
    """Give a browser a new token; what is out of date goes."""
    token = secrets.token_urlsafe(32)
    session.execute(for_all_teams(delete(SignIn).where(_out_of_date(now()))))
    session.add(SignIn(token_hash=hash_of(token), person_id=person_id, team_id=team_id, browser=browser[:120]))
    return token


def signed_in(sessions: sessionmaker[Session], token: str) -> Signed | None:
    """Who is signed in with a token; asked at each request, so it is one plain query."""
    with engine_of(sessions).connect() as connection:
        row = connection.execute(_SIGNED, {"token_hash": hash_of(token)}).first()
    moment = now()
    if row is None or row.used_at < moment - IDLE_LIFE or row.began_at < moment - ABSOLUTE_LIFE:
        return None
    if row.used_at < moment - _NOTED_EVERY:
        with sessions.begin() as session:
            session.execute(update(SignIn).where(SignIn.id == row.id).values(used_at=moment))
    actor = Actor(row.team_id, row.person_id, row.role, row.driver_id) if row.role else None
    return Signed(row.id, row.person_id, actor, resolved(row.preferences, row.driver_units, row.team_units))


def rig(sessions: sessionmaker[Session], token: str) -> Actor | None:
    """In whose name a rig delivers; None where the token isn't known or was revoked, or its maker left the team."""
    with sessions.begin() as session:
        known = (
            select(RigToken.id, RigToken.team_id, RigToken.person_id, RigToken.used_at)
            .join(Membership, and_(Membership.team_id == RigToken.team_id, Membership.person_id == RigToken.person_id))
            .where(RigToken.token_hash == hash_of(token), RigToken.revoked_at.is_(None))
        )
        row = session.execute(for_all_teams(known)).first()
        if row is None:
            return None
        if row.used_at is None or row.used_at < now() - _NOTED_EVERY:
            session.execute(update(RigToken).where(RigToken.id == row.id).values(used_at=now()))
        return Actor(row.team_id, row.person_id, "rig", rig_token_id=row.id)


def sign_out(sessions: sessionmaker[Session], token: str) -> None:
    """End the sign-in of one browser; nothing happens where it has ended."""
    with sessions.begin() as session:
        session.execute(for_all_teams(delete(SignIn).where(SignIn.token_hash == hash_of(token))))


def open_team(sessions: sessionmaker[Session], signed: Signed, team_id: UUID) -> None:
    """Go to the desk of another team in this browser.

    Raises:
        NotThere: no such team, or the person isn't in it.
    """
    with sessions.begin() as session:
        query = select(Team.id).join(Membership, Membership.team_id == Team.id)
        key = session.scalar(query.where(Team.public_id == team_id, Membership.person_id == signed.person_id))
        if key is None:
            raise NotThere("This team doesn't exist, or you aren't in it.")
        session.execute(update(SignIn).where(SignIn.id == signed.sign_in_id).values(team_id=key))


def browsers(sessions: sessionmaker[Session], signed: Signed) -> list[Browser]:
    """Where a person is signed in, used last first."""
    with sessions() as session:
        rows = session.scalars(
            select(SignIn).where(SignIn.person_id == signed.person_id).order_by(SignIn.used_at.desc())
        )
        return [
            Browser(row.public_id, row.browser, row.began_at, row.used_at, row.id == signed.sign_in_id) for row in rows
        ]


def end_one(sessions: sessionmaker[Session], signed: Signed, browser_id: UUID) -> None:
    """End another browser's sign-in.

    Raises:
        NotThere: the person has no such browser.
    """
    with sessions.begin() as session:
        done = session.execute(
            delete(SignIn).where(SignIn.person_id == signed.person_id, SignIn.public_id == browser_id)
        )
        if not done.rowcount:  # type: ignore[attr-defined]
            raise NotThere("You aren't signed in there any more.")


def end_all(session: Session, person_id: int, but: int | None = None) -> None:
    """Sign a person out everywhere, but for one browser."""
    session.execute(delete(SignIn).where(SignIn.person_id == person_id, SignIn.id != (but or 0)))


def _out_of_date(moment: datetime) -> Any:
    return (SignIn.used_at < moment - IDLE_LIFE) | (SignIn.began_at < moment - ABSOLUTE_LIFE)


def password_fits(session: Session, person_id: int, password: str) -> bool:
    """Whether this is a person's password, for what needs it once more."""
    return password_is(session.get_one(Person, person_id).password_hash, password)


_SIGNED = for_all_teams(
    select(
        SignIn.id,
        SignIn.person_id,
        SignIn.team_id,
        SignIn.began_at,
        SignIn.used_at,
        Membership.role,
        Membership.driver_id,
        Person.preferences,
        Driver.units.label("driver_units"),
        Team.units.label("team_units"),
    )
    .join(Person, Person.id == SignIn.person_id)
    .join(Team, Team.id == SignIn.team_id, isouter=True)
    .join(
        Membership, and_(Membership.team_id == SignIn.team_id, Membership.person_id == SignIn.person_id), isouter=True
    )
    .join(Driver, and_(Driver.team_id == Membership.team_id, Driver.id == Membership.driver_id), isouter=True)
    .where(SignIn.token_hash == bindparam("token_hash"))
)
