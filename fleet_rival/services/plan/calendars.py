"""Calendars: a series' weeks and starts to take along, and private addresses to which calendar programs subscribe."""

import secrets
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Final
from uuid import UUID

from sqlalchemy import select, update
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.db.tables import CalendarAddress, Driver, Entry, Membership, Series, SeriesWeekRow, Team
from fleet_rival.db.tenancy import for_all_teams
from fleet_rival.formats.calendars import CalendarEvent, write_calendar
from fleet_rival.services.people.sign_in import hash_of
from fleet_rival.services.plan.coming import ComingBlock, coming_blocks
from fleet_rival.services.shared.base import Actor, begin_change, find_row, named
from fleet_rival.services.shared.errors import NotThere
from fleet_rival.services.week.rows import LoadedWeek, load_weeks
from fleet_rival.wording.week import TRACK_UNKNOWN

__all__ = ["Address", "address_of", "addresses", "make_address", "revoke_address", "series_calendar", "subscribed"]

_KEPT_BEHIND: Final = timedelta(days=60)
"""Weeks that ended longer ago are left out of what programs fetch again and again."""


@dataclass(frozen=True, slots=True)
class Address:
    """An address to which a calendar program subscribes; the address itself was shown once."""

    id: UUID
    name: str
    made_at: datetime
    used_at: datetime | None


def addresses(sessions: sessionmaker[Session], actor: Actor) -> list[Address]:
    """The actor's own addresses that still work."""
    query = select(CalendarAddress).where(
        CalendarAddress.team_id == actor.team_id,
        CalendarAddress.person_id == actor.person_id,
        CalendarAddress.revoked_at.is_(None),
    )
    with sessions() as session:
        rows = session.scalars(query.order_by(CalendarAddress.id.desc()))
        return [Address(row.public_id, row.name, row.created_at, row.used_at) for row in rows]


def make_address(sessions: sessionmaker[Session], actor: Actor, name: str) -> tuple[Address, str]:
    """Make a private address for the actor's own calendar.

    Returns:
        The address' row, and its token: it can't be seen again.
    """
    token = f"cal_{secrets.token_urlsafe(32)}"
    with sessions.begin() as session:
        row = CalendarAddress(
            team_id=actor.team_id, person_id=actor.person_id, name=named(name, "calendar"), token_hash=hash_of(token)
        )
        session.add(row)
        session.flush()
        begin_change(session, actor, "calendar.address", f"Made the calendar address {row.name}", row)
        return Address(row.public_id, row.name, row.created_at, None), token


def revoke_address(sessions: sessionmaker[Session], actor: Actor, address_id: UUID) -> None:
    """Make one of the actor's addresses useless."""
    with sessions.begin() as session:
        row = find_row(session, CalendarAddress, actor, address_id, "calendar address", lock=True)
        if row.person_id != actor.person_id:
            raise NotThere("This calendar address doesn't exist, or no longer does.")
        if row.revoked_at is None:
            begin_change(session, actor, "calendar.revoke", f"Revoked the calendar address {row.name}", row)
            row.revoked_at = now()


def address_of(sessions: sessionmaker[Session], token: str) -> Actor | None:
    """Whose calendar a token opens; None where it was revoked, never was, or they left the team."""
    query = (
        select(CalendarAddress.id, Membership)
        .join(
            Membership,
            (Membership.team_id == CalendarAddress.team_id) & (Membership.person_id == CalendarAddress.person_id),
        )
        .where(CalendarAddress.token_hash == hash_of(token), CalendarAddress.revoked_at.is_(None))
    )
    with sessions.begin() as session:
        found = session.execute(for_all_teams(query)).first()
        if found is None:
            return None
        key, member = found
        session.execute(update(CalendarAddress).where(CalendarAddress.id == key).values(used_at=now()))
        return Actor(member.team_id, member.person_id, member.role, member.driver_id)


def series_calendar(sessions: sessionmaker[Session], actor: Actor, series_id: UUID) -> tuple[str, bytes]:
    """A series with all its starts: its name, and the calendar."""
    with sessions() as session:
        row = find_row(session, Series, actor, series_id, "series")
        events: list[CalendarEvent] = []
        for week in load_weeks(session, actor, SeriesWeekRow.series_id == row.id):
            events.append(_week_event(week))
            events += _start_events(week, week.facts.expanded().starts, ())
        return row.name, write_calendar(row.name, events, now())


def subscribed(sessions: sessionmaker[Session], actor: Actor) -> bytes:
    """A person's calendar: the weeks of all series, and the starts that are driven; a driver's own alone for who
    doesn't see all.
    """
    moment = now()
    with sessions() as session:
        team = session.get_one(Team, actor.team_id)
        weeks = [week for week in load_weeks(session, actor) if week.facts.window[1] > moment - _KEPT_BEHIND]
        query = (
            select(Entry, Driver.name)
            .join(Driver, (Driver.team_id == Entry.team_id) & (Driver.id == Entry.driver_id))
            .where(Entry.team_id == actor.team_id, Entry.week_id.in_([week.row.id for week in weeks]))
            .order_by(Driver.name)
        )
        if not actor.sees_all:
            query = query.where(Entry.driver_id == actor.driver_id)
        starts: dict[int, dict[datetime, list[str]]] = {}
        own: set[int] = set()
        for entry, name in session.execute(query) if weeks else ():
            own.add(entry.week_id)
            for text in entry.starts:
                starts.setdefault(entry.week_id, {}).setdefault(datetime.fromisoformat(text), []).append(name)
        events: list[CalendarEvent] = []
        for week in weeks:
            # A driver's calendar holds the weeks that they drive in.
            if actor.sees_all or week.row.id in own:
                events.append(_week_event(week))
            for start, who in sorted(starts.get(week.row.id, {}).items()):
                events += _start_events(week, [start], who if actor.sees_all else ())
        events += [
            _block_event(block, whose=actor.sees_all)
            for block in coming_blocks(session, actor, moment - _KEPT_BEHIND, moment)
        ]
        return write_calendar(f"Fleet Rival: {team.name}", events, moment)


def _block_event(block: ComingBlock, *, whose: bool) -> CalendarEvent:
    return CalendarEvent(
        f"{block.id}@fleet-rival",
        f"{f'{block.driver}: ' if whose else ''}{block.words}",
        block.begins_at,
        block.ends_at,
        block.place or block.series,
        "\n".join(filter(None, (block.why, block.rig, block.coach))),
        sequence=block.version,
    )


def _week_event(week: LoadedWeek) -> CalendarEvent:
    facts = week.facts
    lines = [
        f"Car: {' or '.join(facts.cars)}" if facts.cars else "",
        f"Race: {facts.race_laps} laps"
        if facts.race_laps
        else f"Race: {facts.race_minutes:g} minutes"
        if facts.race_minutes
        else "",
        f"Starts (UTC): {facts.starts}" if facts.starts else "",
        facts.note or "",
    ]
    return CalendarEvent(
        f"{week.row.public_id}@fleet-rival",
        f"{facts.series}, week {facts.week}: {_place(week)}",
        facts.begins,
        facts.ends,
        _place(week),
        "\n".join(filter(None, lines)) or None,
        sequence=week.row.version,
    )


def _start_events(week: LoadedWeek, starts: Iterable[datetime], drivers: Sequence[str]) -> list[CalendarEvent]:
    facts = week.facts
    who = f" ({', '.join(drivers)})" if drivers else ""
    return [
        CalendarEvent(
            f"{week.row.public_id}-{start:%Y%m%dT%H%M%SZ}@fleet-rival",
            f"{facts.series}: {_place(week)}{who}",
            start,
            start + timedelta(minutes=facts.busy_minutes()),
            _place(week),
            sequence=week.row.version,
        )
        for start in starts
    ]


def _place(week: LoadedWeek) -> str:
    return week.facts.place or TRACK_UNKNOWN
