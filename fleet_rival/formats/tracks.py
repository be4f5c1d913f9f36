"""Track files (`*.track.json`), version 1."""

import json
import math
from dataclasses import asdict
from typing import Any

from fleet_rival.core.texts import BadText, tidy
from fleet_rival.core.track import BadTrack, Corner, Pit, Sector, Track
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.text import decode

__all__ = ["read_track", "write_track"]

_MAX_POINTS = 100_000
_MAX_PARTS = 400


def read_track(content: bytes) -> Track:
    """Read a track file.

    Raises:
        UnusableFile: not JSON, not a track file of this version, or a track that contradicts itself.
    """
    text = decode(content, "track file")
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as error:
        where = f" (line {error.lineno})" if isinstance(error, json.JSONDecodeError) else ""
        raise UnusableFile(f"The track file is not valid JSON{where}.") from error
    if not isinstance(data, dict) or data.get("format") != "fleet-rival/track":
        raise UnusableFile('This is not a track file: "format" must be "fleet-rival/track".')
    if data.get("version") != 1:
        raise UnusableFile(f"The track file has version {data.get('version')!r}; this program reads version 1.")
    try:
        return Track(
            name=_label(data, "name"),
            layout=_label(data, "layout", default="Full"),
            kind=_label(data, "kind", default="circuit", longest=40),
            length_m=_number(data, "length_m"),
            sectors=tuple(Sector(_label(row, "code"), _number(row, "start_m")) for row in _rows(data, "sectors")),
            corners=tuple(_corner(row) for row in _rows(data, "corners", default=[])),
            **_centreline(data.get("centreline")),
            pit=_pit(data.get("pit")),
        )
    except BadTrack as error:
        raise UnusableFile(f"The track file can't be used: {error}.") from error


def write_track(track: Track) -> bytes:
    """Write a track file that `read_track` reads back to the same track."""
    data: dict[str, Any] = {
        "format": "fleet-rival/track",
        "version": 1,
        "name": track.name,
        "layout": track.layout,
        "kind": track.kind,
        "length_m": track.length_m,
        "sectors": [{"code": sector.code, "start_m": sector.start_m} for sector in track.sectors],
        "corners": [
            {
                key: getattr(corner, key)
                for key in ("code", "name", "start_m", "apex_m", "end_m", "direction")
                if getattr(corner, key) is not None
            }
            | ({"linked_to_next": True} if corner.linked_to_next else {})
            for corner in track.corners
        ],
    }
    if track.pit:
        data["pit"] = {key: value for key, value in asdict(track.pit).items() if value is not None}
    if track.centreline_xy_m:
        data["centreline"] = {
            "step_m": track.centreline_step_m,
            "xy_m": [list(point) for point in track.centreline_xy_m],
        }
    return (json.dumps(data, ensure_ascii=False, indent=1) + "\n").encode()


def _rows(data: dict[str, Any], key: str, default: list[Any] | None = None) -> list[dict[str, Any]]:
    rows = data.get(key, default)
    if not isinstance(rows, list) or not all(isinstance(row, dict) for row in rows):
        raise BadTrack(f'"{key}" must be a list of objects')
    if len(rows) > _MAX_PARTS:
        raise BadTrack(f'"{key}" holds more than {_MAX_PARTS} entries')
    return rows


def _label(data: dict[str, Any], key: str, default: str | None = None, longest: int = 120) -> str:
    value = data.get(key, default)
    try:
        made = tidy(value).strip() if isinstance(value, str) else ""
    except BadText as error:
        raise BadTrack(f'"{key}" {error}') from error
    if not made or len(made) > longest:
        raise BadTrack(f'"{key}" must be a text of 1 to {longest} characters')
    return made


def _number(data: dict[str, Any], key: str) -> float:
    value = data.get(key)
    if (
        isinstance(value, bool)
        or not isinstance(value, int | float)
        or not math.isfinite(value)
        or not 0 <= value <= 1e6
    ):
        raise BadTrack(f'"{key}" must be a number of metres from 0 to 1,000,000, not {value!r}')
    return float(value)


def _corner(row: dict[str, Any]) -> Corner:
    name, direction = row.get("name"), row.get("direction")
    try:
        name = tidy(name) if isinstance(name, str) else name
    except BadText as error:
        raise BadTrack(f'"name" of a corner {error}') from error
    if name is not None and (not isinstance(name, str) or len(name) > 120):
        raise BadTrack('"name" of a corner must be a text of up to 120 characters')
    if direction not in (None, "left", "right"):
        raise BadTrack(f'"direction" must be "left" or "right", not {direction!r}')
    if not isinstance(row.get("linked_to_next", False), bool):
        raise BadTrack('"linked_to_next" must be true or false')
    return Corner(
        _label(row, "code"),
        _number(row, "start_m"),
        _number(row, "apex_m"),
        _number(row, "end_m"),
        name,
        direction,
        row.get("linked_to_next", False),
    )


def _pit(data: Any) -> Pit | None:
    if data is None:
        return None
    if not isinstance(data, dict) or data.get("side") not in (None, "left", "right"):
        raise BadTrack('"pit" must hold "entry_m" and "exit_m", and may hold "side" (left or right) and "limit_kmh"')
    return Pit(
        _number(data, "entry_m"),
        _number(data, "exit_m"),
        data.get("side"),
        _number(data, "limit_kmh") if "limit_kmh" in data else None,
    )


def _centreline(data: Any) -> dict[str, Any]:
    if data is None:
        return {}
    if not isinstance(data, dict) or not isinstance(data.get("xy_m"), list) or len(data["xy_m"]) > _MAX_POINTS:
        raise BadTrack('"centreline" must hold "step_m" and a list "xy_m" of up to 100,000 points')
    points = []
    for point in data["xy_m"]:
        if not (
            isinstance(point, list)
            and len(point) == 2
            and all(isinstance(v, int | float) and not isinstance(v, bool) and math.isfinite(v) for v in point)
        ):
            raise BadTrack('each point of "xy_m" must be two numbers')
        points.append((float(point[0]), float(point[1])))
    return {"centreline_step_m": _number(data, "step_m"), "centreline_xy_m": tuple(points)}
