"""How a kept lap file is read: by its columns' names, as somebody told of this source before, or as they tell now;
with what was mended.
"""

import re
import zlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Final

from sqlalchemy import select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from fleet_rival.clock import now
from fleet_rival.core.track import Track
from fleet_rival.db.tables import Combination, Driver, FileMapping, LapFileRow
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.laps import LapFile, peek, read_laps, reads_by_names
from fleet_rival.formats.mapping import BadMapping, ColumnMapping, check_mapping, guess_mapping, signature, targets
from fleet_rival.services.drive.runs.places import track_of
from fleet_rival.services.shared import confined
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import Refused
from fleet_rival.wording.columns import TARGET_WORDS
from fleet_rival.wording.files import not_yours

__all__ = [
    "MappingView",
    "Reading",
    "content_of",
    "first_reading",
    "mapping_view",
    "mended",
    "read_beginning",
    "read_file",
    "remember",
    "told_reading",
]

_EXAMPLES: Final = 3


@dataclass(frozen=True, slots=True)
class Reading:
    """How a file is read, as it is kept with it."""

    table: ColumnMapping | None = None
    """None: by the columns' names."""
    names: Mapping[str, str] = field(default_factory=dict)
    """Name in the file to the driver's name in the team."""
    confirmed: bool = True
    """Whether the table's mapping was told or confirmed by a person, now or before."""
    remembered: bool = False

    def as_plain(self) -> dict[str, Any]:
        return {
            "table": self.table.as_plain() if self.table else None,
            "names": dict(self.names),
            "confirmed": self.confirmed,
            "remembered": self.remembered,
        }

    @classmethod
    def from_plain(cls, plain: Mapping[str, Any] | None) -> "Reading":
        if plain is None:
            return cls()
        table = ColumnMapping.from_plain(plain["table"]) if plain.get("table") else None
        return cls(table, dict(plain.get("names", {})), plain.get("confirmed", True), plain.get("remembered", False))


@dataclass(frozen=True, slots=True)
class MappingView:
    """The mapping step: each column with what it is read as."""

    columns: tuple[dict[str, Any], ...]
    """`name`, `target` (None: not used), `unit`, and a few `examples`."""
    splits: str
    rows: str
    constants: dict[str, str]
    seen: tuple[str, ...]
    missing: tuple[str, ...]
    needed: bool
    """Whether somebody must confirm it before the file can go in."""
    told: bool
    """Whether the file is read by it, and not by its columns' names."""
    remembered: bool
    offered: tuple[dict[str, str], ...]
    """What a column can be read as, with its words."""
    names: dict[str, str]
    """Names in the file that are other names of the team's drivers."""


def content_of(kept: LapFileRow) -> bytes:
    """A file as it came."""
    return zlib.decompress(kept.content)


def first_reading(session: Session, actor: Actor, row: Combination, name: str, content: bytes) -> Reading:
    """How a new file is to be read: as this source was before; else by its names; else as it looks, to be confirmed.

    Raises:
        Refused: it is no table, or has times of parts that the track doesn't have.
    """
    track = track_of(session, row)
    try:
        header, rows = confined.read(peek, content)
        own = (FileMapping.team_id == actor.team_id, FileMapping.signature == signature(header))
        before = session.scalar(select(FileMapping.mapping).where(*own))
        if before is not None:
            reading = _with_session(Reading.from_plain(before), name)
            try:
                if reading.table is None:
                    return replace(reading, confirmed=True)
                if any(use.target == "driver" for use in reading.table.columns.values()):
                    check_mapping(reading.table, header, track)
                    return replace(reading, confirmed=True, remembered=True)
                # Whose laps a file holds is asked for each: the next one of this source may be anybody's.
                check_mapping(_of_driver(reading.table, "anybody"), header, track)
                whose = _whose(session, actor, name)
                return replace(reading, table=_of_driver(reading.table, whose), confirmed=False, remembered=True)
            except BadMapping:
                pass  # made for a track with other parts
        if reads_by_names(header, [cells for _, cells in rows], track):
            return Reading()
        guess = guess_mapping(header, [cells for _, cells in rows], track)
    except UnusableFile as error:
        raise Refused(str(error)) from error
    if not guess.mapping.columns:
        raise Refused(
            "The lap file has no header: its first line must name the columns, at least driver, lap and time."
        )
    told = guess.mapping if "driver" not in guess.missing else _of_driver(guess.mapping, _whose(session, actor, name))
    return _with_session(Reading(told, confirmed=False), name)


def _of_driver(table: ColumnMapping, driver: str) -> ColumnMapping:
    """The same table with all of its laps by one driver; empty: nobody has said whose they are."""
    rest = {name: value for name, value in table.constants.items() if name != "driver"}
    return replace(table, constants={**rest, "driver": driver} if driver else rest)


def _whose(session: Session, actor: Actor, file: str) -> str:
    """Whose laps a file may hold that doesn't say: one's own for who adds only those, else of the one driver whom
    its name points at. A guess.
    """
    drivers = {
        key: name
        for key, name in session.execute(select(Driver.id, Driver.name).where(Driver.team_id == actor.team_id))
    }
    if not actor.sees_all:
        return drivers.get(actor.driver_id or 0, "")
    alike = {name: number for name in drivers.values() if (number := _words_alike(file.rsplit(".", 1)[0], name))}
    best = [name for name, number in alike.items() if number == max(alike.values())]
    return best[0] if len(best) == 1 else ""


def _words_alike(text: str, name: str) -> int:
    """How many words of a name, of three letters or more, stand in a text, or begin one there, or are begun by one."""
    there = [word for word in re.split(r"[\W\d_]+", text.casefold()) if len(word) >= 3]
    return sum(
        any(word.startswith(own) or own.startswith(word) for word in there)
        for own in name.casefold().split()
        if len(own) >= 3
    )


def _with_session(reading: Reading, name: str) -> Reading:
    """Where no column tells sessions apart, a file is one, called as the file is."""
    table = reading.table
    if table is None or any(use.target == "session" for use in table.columns.values()):
        return reading
    label = name.rsplit(".", 1)[0].removesuffix(".laps")[:120] or "file"
    return replace(reading, table=replace(table, constants={**table.constants, "session": label}))


def told_reading(
    session: Session, row: Combination, kept: LapFileRow, table: Mapping[str, Any] | None, names: Mapping[str, str]
) -> Reading:
    """How a person says that a file is to be read.

    Args:
        table: the columns' mapping; None: by their names.

    Raises:
        Refused: a mapping that can't be used for it.
    """
    mapping = ColumnMapping.from_plain(table) if table is not None else None
    if mapping is not None:
        header, _ = confined.read(peek, content_of(kept))
        try:
            check_mapping(mapping, header, track_of(session, row))
        except BadMapping as error:
            raise Refused(str(error)) from error
    known = set(session.scalars(select(Driver.name).where(Driver.team_id == row.team_id)))
    if strange := sorted(set(names.values()) - known):
        raise Refused(f"The team has no driver called {strange[0]}.")
    return Reading(mapping, names)


def mapping_view(session: Session, row: Combination, kept: LapFileRow) -> MappingView:
    """The columns of a file with what they are read as, or what they look like."""
    track = track_of(session, row)
    reading = Reading.from_plain(kept.mapping)
    header, rows = confined.read(peek, content_of(kept))
    cells = [row_cells for _, row_cells in rows]
    guess = guess_mapping(header, cells, track)
    table = reading.table or guess.mapping
    columns = []
    for place, name in enumerate(header):
        if not name.strip():
            continue
        use = table.columns.get(name)
        examples = list(
            dict.fromkeys(
                row_cells[place].strip()[:40]
                for row_cells in cells
                if place < len(row_cells) and row_cells[place].strip()
            )
        )
        columns.append(
            {
                "name": name,
                "target": use.target if use else None,
                "unit": use.unit if use else "time",
                "examples": examples[:_EXAMPLES],
            }
        )
    offered = tuple(
        {"target": target, "words": TARGET_WORDS.get(target, f"time of {target}")} for target in targets(track)
    )
    return MappingView(
        tuple(columns),
        table.splits,
        table.rows,
        dict(table.constants),
        guess.seen,
        _missing(table, track),
        not reading.confirmed,
        reading.table is not None,
        reading.remembered,
        offered,
        dict(reading.names),
    )


def _missing(table: ColumnMapping, track: Track) -> tuple[str, ...]:
    have = {use.target for use in table.columns.values()} | {name for name, value in table.constants.items() if value}
    sectors = {part.code for part in track.sector_parts}
    timed = {"sector", "sector_time"} <= have if table.rows == "sectors" else "time" in have or sectors <= have
    return (*(name for name in ("driver", "lap") if name not in have), *(() if timed else ("time",)))


def read_file(content: bytes, kept: LapFileRow, session: Session, actor: Actor, row: Combination) -> LapFile:
    """Read a file as is kept with it, with what was mended, and its names as the team's.

    Raises:
        Refused: it can't be used at all, or isn't the actor's to add.
    """
    reading = Reading.from_plain(kept.mapping)
    mends = {int(line): cells for line, cells in (kept.mends or {}).items()}
    try:
        file = confined.read(read_laps, content, track_of(session, row), reading.table, mends)
    except UnusableFile as error:
        raise Refused(str(error)) from error
    file = _with_names(file, reading.names)
    if not actor.sees_all:
        names = {
            key: name
            for key, name in session.execute(select(Driver.id, Driver.name).where(Driver.team_id == actor.team_id))
        }
        own, there = names.get(actor.driver_id or 0), {lap.driver for _, lap in file.laps}
        # A name that nobody has may be the driver's own, written otherwise: they say so, or the laps stay out.
        others = sorted((there & set(names.values())) - {own} if own else there)
        if others:
            raise Refused(not_yours(own, others))
    return file


def read_beginning(content: bytes, kept: LapFileRow, session: Session, row: Combination) -> LapFile:
    """The first rows of a large file, read like the whole.

    Raises:
        Refused: it can't be used at all.
    """
    end = content.find(b"\n", 20_000)
    part = content if end < 0 or content.startswith((b"PK\x03\x04", b"PAR1", b"[")) else content[: end + 1]
    try:
        file = confined.read(read_laps, part, track_of(session, row), Reading.from_plain(kept.mapping).table)
    except UnusableFile as error:
        raise Refused(str(error)) from error
    return _with_names(file, Reading.from_plain(kept.mapping).names)


def _with_names(file: LapFile, names: Mapping[str, str]) -> LapFile:
    if not names:
        return file
    laps = tuple(
        (line, replace(lap, driver=names[lap.driver]) if lap.driver in names else lap) for line, lap in file.laps
    )
    if len({lap.identity for _, lap in laps}) < len(laps):
        raise Refused("Two names of the file can't be the same driver: both have laps of the same number in one run.")
    return replace(file, laps=laps)


def remember(session: Session, actor: Actor, kept: LapFileRow) -> None:
    """Keep for the next file of this source how this one was read, where its names alone didn't say it.

    Never who drove: not a driver said for the whole file, nor that a name like "me" or "player 1" is somebody, which
        the next file says of
    somebody else. Another spelling of the driver's own name is kept.
    """
    reading = Reading.from_plain(kept.mapping)
    spelled = {name: driver for name, driver in reading.names.items() if _words_alike(name, driver)}
    reading = replace(reading, table=reading.table and _of_driver(reading.table, ""), names=spelled)
    if reading.table is None and not reading.names:
        return
    header, _ = confined.read(peek, content_of(kept))
    values = {"mapping": reading.as_plain(), "used_at": now()}
    statement = insert(FileMapping).values(team_id=actor.team_id, signature=signature(header), **values)
    session.execute(statement.on_duplicate_key_update(**values))


def mended(kept: LapFileRow, line: int, cells: Sequence[str] | None) -> dict[str, Any] | None:
    """What was mended of a file, with one more line; None leaves the line as it came."""
    mends = dict(kept.mends or {})
    if cells is None:
        mends.pop(str(line), None)
    else:
        mends[str(line)] = [cell[:2000] for cell in cells]
    if len(mends) > 5000:
        raise Refused("More than 5,000 lines were mended. Mend the file itself and add it again.")
    return mends or None
