"""Text that people and programs send: one form of each letter, no characters that nobody sees, nothing that only
looks like text.
"""

import re
import unicodedata
from typing import Final

__all__ = ["BadText", "tidy"]

_CONTROLS: Final = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\ud800-\udfff\ufffe\uffff]")
_TURNING: Final = re.compile(
    "[\u202a-\u202e\u2066-\u2069\u200e\u200f\u061c\u2028\u2029\ufeff\u00ad\u2060-\u2064\u180e\u200b]"
)
"""What turns the direction of others' text round, or takes no room: left out. What joins letters to one sign stays."""
_BLANK: Final = "\u115f\u1160\u2800\u3164\uffa0"
"""Letters and signs that are drawn as nothing."""


class BadText(ValueError):
    """A text that holds what no text does; the message says what, as the end of a sentence."""


def tidy(text: str) -> str:
    """The same text as it is kept: composed (NFC), without signs that take no room; empty where nothing of it can be
    seen.

    Blanks alone stay, for who trims them.

    Raises:
        BadText: control characters, or halves of characters.

    >>> tidy("A\u030asmund"), tidy("\u200b \u2060")
    ('Åsmund', '')
    """
    if text.isascii() and text.isprintable():
        return text
    if found := _CONTROLS.search(text):
        raise BadText(f"holds the control character U+{ord(found[0]):04X}")
    made = _TURNING.sub("", unicodedata.normalize("NFC", text))
    return made if text.isspace() or any(map(_seen, made)) else ""


def _seen(letter: str) -> bool:
    return unicodedata.category(letter)[0] not in "CMZ" and letter not in _BLANK
