"""Pictures of references: taken in as PNG or JPEG, made anew, so that neither metadata nor anything else comes with them."""

from io import BytesIO
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.tables import BookPicture
from fleet_rival.services.base import Actor, begin_change, find_row
from fleet_rival.services.book.references import own_reference
from fleet_rival.services.errors import Refused

__all__ = ["MAX_PICTURE_BYTES", "picture", "put_picture", "remade", "remove_picture"]

MAX_PICTURE_BYTES = 8_000_000
_MAX_PIXELS = 40_000_000
_LONGEST_SIDE = 1600
_MOST_OF_A_TEAM = 2_000


def put_picture(sessions: sessionmaker[Session], actor: Actor, reference_id: UUID, content: bytes) -> None:
    """Attach a picture to a reference, in place of one that may be there.

    Raises:
        Refused: not a PNG or JPEG, too large, or the team has too many.
        Conflict: the reference isn't the driver's to write.
    """
    made, width, height = remade(content)
    with sessions.begin() as session:
        row = own_reference(session, actor, reference_id)
        if (session.scalar(select(func.count()).select_from(BookPicture).where(BookPicture.team_id == actor.team_id)) or 0) >= _MOST_OF_A_TEAM:
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


def remade(content: bytes) -> tuple[bytes, int, int]:
    """A picture drawn anew as JPEG, at most 1,600 pixels long, turned as it was meant; with its width and height.

    Raises:
        Refused: not a PNG or JPEG, or too large.
    """
    # Imported where used: few requests need it.
    from PIL import Image, ImageOps  # noqa: PLC0415

    if len(content) > MAX_PICTURE_BYTES:
        raise Refused("A picture may have 8 MB at most. Save it smaller and try again.")
    try:
        with Image.open(BytesIO(content), formats=("PNG", "JPEG")) as sent:
            if sent.width * sent.height > _MAX_PIXELS:
                raise Refused("A picture may have 40 million pixels at most. Save it smaller and try again.")
            turned = ImageOps.exif_transpose(sent)
            on_white = Image.new("RGB", turned.size, "white")
            on_white.paste(turned.convert("RGB"), mask=turned.convert("RGBA").getchannel("A"))
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError) as error:
        raise Refused("This isn't a picture that can be read: send a PNG or a JPEG.") from error
    on_white.thumbnail((_LONGEST_SIDE, _LONGEST_SIDE))
    out = BytesIO()
    on_white.save(out, "JPEG", quality=85, optimize=True)
    return out.getvalue(), on_white.width, on_white.height
