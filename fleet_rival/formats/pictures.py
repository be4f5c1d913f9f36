"""Pictures in: PNG or JPEG, drawn anew, so that neither metadata nor anything else comes with them."""

from io import BytesIO
from typing import Final

from fleet_rival.formats.errors import UnusableFile

__all__ = ["MAX_PICTURE_BYTES", "remade"]

MAX_PICTURE_BYTES: Final = 8_000_000
_MAX_PIXELS: Final = 40_000_000
_LONGEST_SIDE: Final = 1600


def remade(content: bytes) -> tuple[bytes, int, int]:
    """A picture drawn anew as JPEG, at most 1,600 pixels long, turned as it was meant; with its width and height.

    Raises:
        UnusableFile: not a PNG or JPEG, or too large.
    """
    # Imported where used: few requests need it.
    from PIL import Image, ImageOps  # noqa: PLC0415

    if len(content) > MAX_PICTURE_BYTES:
        raise UnusableFile("A picture may have 8 MB at most. Save it smaller and try again.")
    try:
        with Image.open(BytesIO(content), formats=("PNG", "JPEG")) as sent:
            if sent.width * sent.height > _MAX_PIXELS:
                raise UnusableFile("A picture may have 40 million pixels at most. Save it smaller and try again.")
            # Made small first: what follows is done to far fewer points.
            sent.draft("RGB", (_LONGEST_SIDE, _LONGEST_SIDE))
            sent.thumbnail((_LONGEST_SIDE, _LONGEST_SIDE))
            turned = ImageOps.exif_transpose(sent)
            on_white = Image.new("RGB", turned.size, "white")
            on_white.paste(turned.convert("RGB"), mask=turned.convert("RGBA").getchannel("A"))
    except UnusableFile:
        raise
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError) as error:
        raise UnusableFile("This isn't a picture that can be read: send a PNG or a JPEG.") from error
    out = BytesIO()
    on_white.save(out, "JPEG", quality=85, optimize=True)
    return out.getvalue(), on_white.width, on_white.height
