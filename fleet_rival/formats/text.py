"""From bytes to text: encodings and the signs of a file that is no text."""

from fleet_rival.formats.errors import UnusableFile

__all__ = ["decode"]


def decode(content: bytes, what: str) -> str:
    """Read bytes as UTF-8, with or without a byte order mark.

    Args:
        content: the whole file.
        what: the kind of file, for the sentence ("lap file").

    Raises:
        UnusableFile: empty, another encoding, or no text.
    """
    if content.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise UnusableFile(f"The {what} is in UTF-16. Save it as CSV in UTF-8 and try again.")
    if content.startswith(b"PK\x03\x04"):
        raise UnusableFile(
            f"This is a spreadsheet or zip, not a plain-text {what}. Save the sheet as CSV in UTF-8 and try again."
        )
    if b"\x00" in content:
        raise UnusableFile(f"This is not a plain-text {what}: it holds zero bytes.")
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = content.count(b"\n", 0, error.start) + 1
        raise UnusableFile(
            f"The {what} is not in UTF-8: line {line} holds the byte {content[error.start]:#04x}. Save it as UTF-8 and "
            "try again."
        ) from error
    if not text.strip():
        raise UnusableFile(f"The {what} is empty.")
    return text
