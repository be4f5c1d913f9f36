"""An unknown table read by what somebody said of its columns."""

import re
from collections.abc import Iterator, Sequence

from fleet_rival.core.times import format_time
from fleet_rival.core.track import Track
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.mapping import Along, BadMapping, ColumnMapping, check_mapping, in_microseconds

__all__ = ["apply_mapping"]


def apply_mapping(
    mapping: ColumnMapping, header: Sequence[str], rows: Iterator[tuple[int, list[str], bool]], track: Track
) -> tuple[list[str], Iterator[tuple[int, list[str], bool]], Along]:
    """A table as the lap format would have it: the contract's header, and the rows under it.

    Rows of another width than the header pass as they are, to be set aside with their reason. Of rows by sector, the
    first row's line number stands for the lap; `Along` says which others belong to it, and which can't belong to any.

    Raises:
        UnusableFile: the mapping isn't one for this table.
    """
    try:
        check_mapping(mapping, header, track)
    except BadMapping as error:
        raise UnusableFile(str(error)) from error
    constants = {name: value.strip() for name, value in mapping.constants.items() if value.strip()}
    names, added = [], []
    for name in header:
        use = mapping.columns.get(name)
        names.append("" if use is None else f"{use.target}_ms" if use.unit == "ms" else use.target)
    for name, value in constants.items():
        if name not in names:
            names.append(name)
            added.append(value)
    if mapping.rows == "sectors":
        return _by_sector(names, rows, added, len(header), mapping, track)
    days = [
        place for place, name in enumerate(header) if name in mapping.columns and mapping.columns[name].unit == "days"
    ]
    splits = _split_places(header, mapping, track) if mapping.splits == "cumulative" else []
    if not added and not days and not splits:
        return names, rows, Along()
    if splits:
        names = [
            re.sub(r"_ms$", "", name) if place in {at for at, _ in splits} else name for place, name in enumerate(names)
        ]

    def mapped() -> Iterator[tuple[int, list[str], bool]]:
        for line, cells, closed in rows:
            if not closed or len(cells) < len(header) or any(cell.strip() for cell in cells[len(header) :]):
                yield line, cells, closed
                continue
            out = list(cells[: len(header)])
            for place in days:
                if out[place].strip() and (time := in_microseconds(out[place], "days")) is not None:
                    out[place] = format_time(time, 6)
            _step(out, splits)
            yield line, out + added, True

    return names, mapped(), Along()


def _split_places(header: Sequence[str], mapping: ColumnMapping, track: Track) -> list[tuple[int, str]]:
    by_target = {
        use.target: (place, use.unit) for place, name in enumerate(header) if (use := mapping.columns.get(name))
    }
    return [by_target[part.code] for part in track.sector_parts if part.code in by_target]


def _step(cells: list[str], splits: Sequence[tuple[int, str]]) -> None:
    """Put sector times in the place of times since the lap's start; where one can't be read, it and what follows it
    stay unknown.
    """
    before: int | None = 0
    for place, unit in splits:
        if not cells[place].strip():
            before = None
            continue
        # After `days` were written out, they are times like others.
        now = in_microseconds(cells[place], "time" if unit == "days" else unit)
        if now is None:
            before = None
            continue
        step = now - before if before is not None else None
        # A split that falls is no split: it is left as it stands, below zero, so that the row is set aside with its
        # cell.
        cells[place] = "" if step is None else format_time(step, 6) if step > 0 else f"-{format_time(-step, 3)}"
        before = now


def _by_sector(
    names: list[str],
    rows: Iterator[tuple[int, list[str], bool]],
    added: list[str],
    width: int,
    mapping: ColumnMapping,
    track: Track,
) -> tuple[list[str], Iterator[tuple[int, list[str], bool]], Along]:
    """Rows of sectors as rows of laps."""
    folded = {part.code.casefold(): part.code for part in track.sector_parts}
    sectors = list(folded.values())
    at_sector = names.index("sector")
    at_time = next(place for place, name in enumerate(names) if name.startswith("sector_time"))
    unit = next(use.unit for use in mapping.columns.values() if use.target == "sector_time")
    places = [place for place, name in enumerate(names) if name in ("driver", "session", "run", "lap")]
    out_names = [("" if place in (at_sector, at_time) else name) for place, name in enumerate(names)] + sectors
    along = Along()

    def code_of(cell: str) -> str | None:
        text = cell.strip().casefold()
        if text in folded:
            return folded[text]
        digits = re.fullmatch(r"[a-z_ ]*([0-9]{1,2})(?:\.0)?", text)
        return sectors[int(digits[1]) - 1] if digits and 1 <= int(digits[1]) <= len(sectors) else None

    def whole(group: dict[str, tuple[int, list[str], str]]) -> tuple[int, list[str], bool]:
        first, *others = group.values()
        along.behind[first[0]] = [line for line, _, _ in others]
        return first[0], [*first[1], *(group[code][2] if code in group else "" for code in sectors)], True

    def laps() -> Iterator[tuple[int, list[str], bool]]:
        group: dict[str, tuple[int, list[str], str]] = {}
        key: tuple[str, ...] | None = None
        for line, raw, closed in rows:
            if not any(cell.strip() for cell in raw):
                continue
            if not closed or len(raw) < width or any(cell.strip() for cell in raw[width:]):
                yield line, raw, closed
                continue
            cells = raw[:width] + added
            code, time = code_of(cells[at_sector]), in_microseconds(cells[at_time], unit)
            if code is None or time is None:
                place, reason = (at_sector, "not a sector of this track") if code is None else (at_time, "not a time")
                along.bad[line] = (names[place], cells[place], reason)
                yield line, cells + [""] * len(sectors), True
                continue
            own = tuple(cells[place].strip() for place in places)
            if group and (own != key or code in group):
                yield whole(group)
                group = {}
            key = own
            group[code] = (line, cells, format_time(time, 6))
        if group:
            yield whole(group)

    return out_names, laps(), along
