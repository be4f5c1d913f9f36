"""Seasons in from files and out again: a look first, then one transaction; what can't be read is set aside and told."""

import hashlib
import zlib
from dataclasses import dataclass
from datetime import timedelta
from uuid import UUID

from sqlalchemy import delete, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.season.weeks import SeriesWeek, overlaps
from fleet_rival.db.tables import Car, Layout, SeasonFileRow, Series, SeriesWeekRow, TrackRow
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.rows import RowWarning, SetAside
from fleet_rival.formats.season_export import write_season, write_season_sheet
from fleet_rival.formats.seasons import SeasonFile, read_season
from fleet_rival.services.shared import confined
from fleet_rival.services.shared.base import Actor, begin_change, find_row
from fleet_rival.services.shared.errors import Conflict, Refused
from fleet_rival.services.shared.space import see_to_room
from fleet_rival.services.week import series
from fleet_rival.services.week.rows import load_weeks, series_called, write_week
from fleet_rival.wording.week import overlap_words

__all__ = ["SeasonImported", "SeasonPreview", "SeasonRow", "discard", "export", "import_season", "preview", "upload"]

MAX_BYTES = 5_000_000
_KEEP_PREVIEWS = timedelta(days=7)


@dataclass(frozen=True, slots=True)
class SeasonRow:
    """A week of the file, against what is there."""

    line: int
    series: str
    week: int
    begins: str
    ends: str
    cars: tuple[str, ...]
    track: str | None
    layout: str | None
    starts: int
    """How many races it has."""
    state: str
    """`new`, `same`, or `changed`."""
    differs: tuple[str, ...]
    """Of a changed one: the fields that would be written anew."""


@dataclass(frozen=True, slots=True)
class SeasonPreview:
    """What would happen if the file were imported now."""

    id: UUID
    name: str
    state: str
    rows: int
    weeks: tuple[SeasonRow, ...]
    set_aside: tuple[SetAside, ...]
    warnings: tuple[RowWarning, ...]
    unused_columns: tuple[str, ...]
    new_series: tuple[str, ...]
    new_cars: tuple[str, ...]
    unknown_layouts: tuple[str, ...]
    stamp: str
    """Of the weeks that it was compared with: an import needs it, so that nothing is written over that nobody saw."""


@dataclass(frozen=True, slots=True)
class SeasonImported:
    """What an import did."""

    added: int
    changed: int
    same: int
    kept: int
    """Weeks that differ and were left as they are."""
    set_aside: int


def upload(sessions: sessionmaker[Session], actor: Actor, name: str, content: bytes) -> UUID:
    """Keep a season file, to be looked at. Nothing is imported yet.

    Raises:
        Refused: it can't be used at all.
    """
    if len(content) > MAX_BYTES:
        raise Refused(f"The file has {len(content) / 1e6:.0f} MB; a season has {MAX_BYTES // 1_000_000} MB at most.")
    _read(content)
    with sessions.begin() as session:
        old = (
            SeasonFileRow.team_id == actor.team_id,
            SeasonFileRow.state == "preview",
            SeasonFileRow.created_at < now() - _KEEP_PREVIEWS,
        )
        session.execute(delete(SeasonFileRow).where(*old))
        see_to_room(session, actor, len(content))
        row = SeasonFileRow(
            team_id=actor.team_id,
            person_id=actor.person_id,
            name=name[-255:] or "season.csv",
            size=len(content),
            content=zlib.compress(content),
        )
        session.add(row)
        session.flush()
        return row.public_id


def preview(sessions: sessionmaker[Session], actor: Actor, file_id: UUID) -> SeasonPreview:
    """What an import would do now."""
    with sessions() as session:
        kept = find_row(session, SeasonFileRow, actor, file_id, "file")
        file, there, stamp = _compared(session, actor, kept, take_changes=True)
        known = set(session.scalars(select(Car.name).where(Car.team_id == actor.team_id)))
        layouts = {
            (track, layout)
            for track, layout in session.execute(
                select(TrackRow.name, Layout.name)
                .join(Layout, (Layout.team_id == TrackRow.team_id) & (Layout.track_id == TrackRow.id))
                .where(TrackRow.team_id == actor.team_id)
            )
        }
        weeks = [week for _, week in file.weeks]
        places = dict.fromkeys((week.track, week.layout) for week in weeks if week.track and week.layout)
        return SeasonPreview(
            kept.public_id,
            kept.name,
            kept.state,
            file.rows,
            tuple(_row(line, week, there.get((week.series, week.week))) for line, week in file.weeks),
            file.set_aside,
            file.warnings,
            file.unused_columns,
            tuple(dict.fromkeys(week.series for week in weeks if week.series not in {name for name, _ in there})),
            tuple(dict.fromkeys(car for week in weeks for car in week.cars if car not in known)),
            tuple(f"{track}, {layout}" for track, layout in places if (track, layout) not in layouts),
            stamp,
        )


def import_season(
    sessions: sessionmaker[Session], actor: Actor, file_id: UUID, stamp: str, *, take_changes: bool
) -> SeasonImported:
    """Import a season file that was looked at, in one transaction and one act.

    Args:
        stamp: of the preview that the person saw.
        take_changes: whether weeks that are there with other facts are written anew. New weeks that overlap with those
            that stay are set aside.

    Raises:
        Conflict: it is imported already, or weeks of its series were changed since the person looked.
    """
    with sessions.begin() as session:
        kept = find_row(session, SeasonFileRow, actor, file_id, "file", lock=True)
        if kept.state == "imported":
            raise Conflict("This file is imported already.")
        file, there, now_stamp = _compared(session, actor, kept, take_changes=take_changes)
        if now_stamp != stamp:
            raise Conflict(
                "Weeks of these series were changed since you looked. Look at the preview again, then import."
            )
        change_set = begin_change(session, actor, "season.import", f"Imported {kept.name}")
        counts = {"new": 0, "changed": 0, "same": 0}
        for _, week in file.weeks:
            state = _state(week, there.get((week.series, week.week)))
            counts[state] += 1
            if state == "same" or (state == "changed" and not take_changes):
                continue
            of = series_called(session, actor, week.series)
            row = session.scalar(
                select(SeriesWeekRow).where(
                    SeriesWeekRow.team_id == actor.team_id,
                    SeriesWeekRow.series_id == of.id,
                    SeriesWeekRow.number == week.week,
                )
            )
            write_week(session, actor, of, row, week)
        kept.state, kept.change_set_id = "imported", change_set.id
        changed = counts["changed"] if take_changes else 0
        return SeasonImported(counts["new"], changed, counts["same"], counts["changed"] - changed, len(file.set_aside))


def discard(sessions: sessionmaker[Session], actor: Actor, file_id: UUID) -> None:
    """Forget a season file that was looked at and not imported."""
    with sessions.begin() as session:
        kept = find_row(session, SeasonFileRow, actor, file_id, "file", lock=True)
        if kept.state != "preview":
            raise Conflict("This file was imported; it stays as the record. You can take the import back.")
        session.delete(kept)


def export(sessions: sessionmaker[Session], actor: Actor, series_id: UUID, *, sheet: bool) -> tuple[str, bytes]:
    """A series as a season file: its name, and the bytes.

    Args:
        sheet: as XLSX rather than CSV.
    """
    views = series.weeks(sessions, actor, series_id)
    with sessions() as session:
        name = find_row(session, Series, actor, series_id, "series").name
    weeks = [view.facts for view in views]
    return name, write_season_sheet(weeks) if sheet else write_season(weeks)


def _read(content: bytes) -> SeasonFile:
    try:
        return confined.read(read_season, content)
    except UnusableFile as error:
        raise Refused(str(error)) from error


def _compared(
    session: Session, actor: Actor, kept: SeasonFileRow, *, take_changes: bool
) -> tuple[SeasonFile, dict[tuple[str, int], SeriesWeek], str]:
    """The file, without the weeks that overlap with others that stay, the weeks that are there, and their stamp."""
    file = _read(zlib.decompress(kept.content))
    named_series = {week.series for _, week in file.weeks}
    loaded = [item for item in load_weeks(session, actor) if item.facts.series in named_series]
    there = {(item.facts.series, item.facts.week): item.facts for item in loaded}
    versions = sorted(f"{item.row.public_id}.{item.row.version}" for item in loaded)
    stamp = hashlib.sha256(" ".join(versions).encode()).hexdigest()[:16]
    weeks, set_aside = [], list(file.set_aside)
    rewritten = {(week.series, week.week) for _, week in file.weeks} if take_changes else set()
    for line, week in file.weeks:
        own = (week.series, week.week)
        # A week that is there and stays as it is says nothing about itself.
        others = [
            other for key, other in there.items() if key[0] == week.series and key != own and key not in rewritten
        ]
        if own in there and not take_changes:
            weeks.append((line, week))
        elif clash := next((other for other in others if overlaps(week, other)), None):
            set_aside.append(
                SetAside(
                    line,
                    "from",
                    str(week.begins),
                    overlap_words(clash.week),
                )
            )
        else:
            weeks.append((line, week))
    lines = {line for line, _ in weeks}
    file = SeasonFile(
        tuple(weeks),
        tuple(sorted(set_aside, key=lambda row: row.line)),
        tuple(warning for warning in file.warnings if warning.line in lines),
        file.unused_columns,
        file.rows,
    )
    return file, there, stamp


def _state(week: SeriesWeek, there: SeriesWeek | None) -> str:
    if there is None:
        return "new"
    return "changed" if week.differences(there) else "same"


def _row(line: int, week: SeriesWeek, there: SeriesWeek | None) -> SeasonRow:
    return SeasonRow(
        line,
        week.series,
        week.week,
        week.begins.isoformat(),
        week.ends.isoformat(),
        week.cars,
        week.track,
        week.layout,
        len(week.expanded().starts),
        _state(week, there),
        week.differences(there) if there else (),
    )
