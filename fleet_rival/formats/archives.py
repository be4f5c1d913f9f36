"""Several files in one zip: unpacked in memory, with nothing outside of itself and nothing that swells."""

import io
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import Final
from zipfile import BadZipFile, ZipFile, ZipInfo

from fleet_rival.formats.errors import UnusableFile

__all__ = ["Member", "is_archive", "members"]

_MOST_MEMBERS: Final = 300
_MOST_UNPACKED: Final = 200_000_000
_MOST_TIMES_LARGER: Final = 100
_SHEET_SIGNS: Final = frozenset({"[Content_Types].xml", "mimetype"})


@dataclass(frozen=True, slots=True)
class Member:
    """A file of an archive."""

    name: str
    content: bytes


def is_archive(content: bytes) -> bool:
    """Whether bytes are a zip of files, and not a spreadsheet, which is a zip too."""
    if not content.startswith(b"PK\x03\x04"):
        return False
    try:
        with ZipFile(io.BytesIO(content)) as archive:
            return not _SHEET_SIGNS & set(archive.namelist())
    except BadZipFile:
        return False


def members(content: bytes) -> list[Member]:
    """The files of a zip, in their order; folders and what systems add of their own are left out.

    Raises:
        UnusableFile: a path that leads outside, encryption, damage, too many files, or more than a hundred times the
            zip's size.
    """
    try:
        with ZipFile(io.BytesIO(content)) as archive:
            items = [item for item in archive.infolist() if not item.is_dir() and not _is_litter(item.filename)]
            _check(items, len(content))
            out = []
            left = _MOST_UNPACKED
            for item in items:
                with archive.open(item) as file:
                    # What the directory says of a size needn't be true.
                    read = file.read(min(left, item.file_size) + 1)
                if len(read) > item.file_size or len(read) > left:
                    raise UnusableFile(
                        f"{item.filename} in the zip is larger than it says. Pack it again and try again."
                    )
                left -= len(read)
                out.append(Member(PurePosixPath(item.filename).name[-255:], read))
            return out
    except UnusableFile:
        raise
    except (BadZipFile, NotImplementedError, OSError, EOFError, ValueError, RuntimeError) as error:
        raise UnusableFile(
            "This zip can't be read: it is damaged, encrypted, or packed in an unusual way. Pack it again and try "
            "again."
        ) from error


def _check(items: list[ZipInfo], size: int) -> None:
    if not items:
        raise UnusableFile("The zip holds no files.")
    if len(items) > _MOST_MEMBERS:
        raise UnusableFile(f"The zip holds {len(items):,} files; up to {_MOST_MEMBERS} are taken at once.")
    for item in items:
        path = PurePosixPath(item.filename.replace("\\", "/"))
        if path.is_absolute() or ".." in path.parts or ":" in item.filename or "\x00" in item.filename:
            raise UnusableFile(
                f"The zip holds a path that leads outside of it: {item.filename[:80]}. Nothing of it is taken."
            )
        if item.flag_bits & 1:
            raise UnusableFile("The zip is encrypted. Pack it again without a password.")
    unpacked = sum(item.file_size for item in items)
    if unpacked > _MOST_UNPACKED or unpacked > max(50_000, _MOST_TIMES_LARGER * size):
        raise UnusableFile(
            f"The zip unpacks to {unpacked / 1e6:,.1f} MB, too much at once or for its size. Nothing of it is taken."
        )


def _is_litter(name: str) -> bool:
    parts = PurePosixPath(name.replace("\\", "/")).parts
    return "__MACOSX" in parts or any(part.startswith(".") and part not in (".", "..") for part in parts)
