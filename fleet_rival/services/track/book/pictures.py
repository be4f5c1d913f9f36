"""Pictures of references: taken in as PNG or JPEG, made anew, so that neither metadata nor anything else comes with
them.
"""

from typing import Final
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.confined import Limits, TooMuch, call
from fleet_rival.db.tables import BookPicture
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.pictures import MAX_PICTURE_BYTES, remade
from fleet_rival.services.shared.base import Actor, begin_change, find_row
from fleet_rival.services.shared.errors import Refused
from fleet_rival.services.track.book.references import own_reference

__all__ = ["MAX_PICTURE_BYTES", "picture", "put_picture", "remove_picture"]

_MOST_OF_A_TEAM = 2_000
_LIMITS: Final = Limits(memory=450_000_000, seconds=20)


def put_picture(sessions: sessionmaker[Session], actor: Actor, reference_id: UUID, content: bytes) -> None:
    """Attach a picture to a reference, in place of one that may be there.

    Raises:
        Refused: not a PNG or JPEG, too large, or the team has too many.
        Conflict: the reference isn't the driver's to write.
    """
    try:
        made, width, height = call(remade, content, limits=_LIMITS)
    except UnusableFile as error:
        raise Refused(str(error)) from error
    except TooMuch as error:
        raise Refused("This picture unpacks to more than can be drawn here. Save it smaller and try again.") from error
    with sessions.begin() as session:
        row = own_reference(session, actor, reference_id)
        if (
            session.scalar(select(func.count()).select_from(BookPicture).where(BookPicture.team_id == actor.team_id))
            or 0
        ) >= _MOST_OF_A_TEAM:
            raise Refused(f"The team has {_MOST_OF_A_TEAM:,} pictures: remove references that aren't needed first.")
        begin_change(session, actor, "reference.picture", f"Put a picture to a reference for {row.point}", row)
        kept = BookPicture(team_id=actor.team_id, person_id=actor.person_id, width=width, height=height, content=made)
        session.add(kept)
        session.flush()
        row.picture_id = kept.id


def remove_picture(sessions: sessionmaker[Session], actor: Actor, reference_id: UUID) -> None:
    """Take the picture off a reference; it comes back when that is taken back."""
    with sessions.begin() as session:
        row = own_reference(session, actor, reference_id)
        begin_change(session, actor, "reference.picture", f"Took the picture off a reference for {row.point}", row)
        row.picture_id = None


def picture(sessions: sessionmaker[Session], actor: Actor, picture_id: UUID) -> bytes:
    """A picture, as JPEG."""
    with sessions() as session:
        return find_row(session, BookPicture, actor, picture_id, "picture").content
