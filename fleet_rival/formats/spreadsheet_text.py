"""Text in cells of a CSV, so that opening it in a spreadsheet runs nothing, wherever that splits the line.

A spreadsheet takes a cell for a formula that begins with one of some signs; one that splits at semicolons or tabs sees
cells begin in the middle of ours. An apostrophe in front of each such place says that it is text. Reading takes it off
again: what went out comes in as it was.

Source: OWASP, CSV Injection.
"""

import re
from typing import Final

__all__ = ["escaped", "plain"]

_STARTS: Final = "=+\\-@＝＋－＠"
_OUT: Final = re.compile(rf"(^|[;\t\r\n])([ \"']*[{_STARTS}])")
_IN: Final = re.compile(rf"(^|[;\t\r\n])'([ \"']*[{_STARTS}])")


def escaped(text: str) -> str:
    """A text as a cell.

    >>> escaped("=1+1"), escaped("soft;=1+1"), escaped("soft = good")
    ("'=1+1", "soft;'=1+1", 'soft = good')
    """
    return _OUT.sub(r"\1'\2", text)


def plain(cell: str) -> str:
    """What a cell says.

    >>> plain("soft;'=1+1")
    'soft;=1+1'
    """
    return _IN.sub(r"\1\2", cell) if "'" in cell else cell
