"""Drivers side by side in one combination, for who sees all; a driver's own beside the team's best parts."""

from collections.abc import Iterable, Mapping
from dataclasses import asdict
from functools import partial
from typing import Any
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.clinics import references_of
from fleet_rival.core.corners.beside import Beside, Cell, Pair, side_by_side
from fleet_rival.core.corners.references import PartFigures, References
from fleet_rival.core.track import Track
from fleet_rival.db.tables import Combination, Driver, Layout
from fleet_rival.services.find.analyses import analysis_of
from fleet_rival.services.find.figures import sees_others
from fleet_rival.services.find.look import Look, asked_look, countable
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.cache.answers import as_json, kept_answer
from fleet_rival.services.track.tracks import load_track
from fleet_rival.wording.clinic import together_words
from fleet_rival.wording.pace import pair_words

__all__ = ["beside"]


def beside(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    week_id: UUID | None = None,
    also: Iterable[str] = (),
) -> tuple[bytes, str]:
    """Segments by drivers, as JSON, and the stamp of the state they belong to.

    Args:
        week_id: of a series' week, whose own laps alone are meant; all laps where missing.
        also: what counts along, after `look.ALSO`.

    Raises:
        NotThere: no such combination.
    """
    look = asked_look(sessions, actor, combination_id, week_id, also)
    # Nobody's key is 0: who drives for the team but isn't one of its drivers yet sees the best parts alone.
    own = None if sees_others(sessions, actor) else actor.driver_id or 0
    about = f"beside:{'all' if own is None else own}{look.tail}"
    return kept_answer(sessions, actor, combination_id, about, partial(_compute, about, own, look))


def _compute(
    about: str, own: int | None, look: Look, session: Session, actor: Actor, row: Combination
) -> dict[str, bytes]:
    track = load_track(session, session.get_one(Layout, row.layout_id), centreline=False)
    analysis = analysis_of(look, session, actor, row, track)
    keys = {driver.name: driver for driver in session.scalars(select(Driver).where(Driver.team_id == actor.team_id))}
    settings = look.settings(row)
    figures: dict[str, Mapping[str, PartFigures]] = {}
    compared: dict[str, References] = {}
    for name, driver in analysis.drivers.items():
        for group in (driver.main, *driver.others):
            if group.group == analysis.team_group and any(part.reference for part in group.segments.values()):
                figures[name] = group.segments
                compared[name] = references_of(track, driver.laps, group, settings)
    guests = {name for name, driver in analysis.drivers.items() if driver.guest}
    told = side_by_side(figures, [name for name in figures if name not in guests], compared)
    shown = [name for name in figures if own is None or keys[name].id == own]
    body = {
        "group": analysis.team_group._asdict() if analysis.team_group else None,
        "drivers": [
            {"id": str(keys[name].public_id), "name": name, "guest": name in guests, "usual": told.usual[name]}
            for name in shown
        ],
        "parts": _parts(track, told, shown, open_names=own is None),
        "countable": countable(
            driver for name, driver in analysis.drivers.items() if own is None or keys[name].id == own
        ),
        "together": together_words(track.stretches, {corner.code: corner.name for corner in track.corners}),
        "pairs": [] if own is not None else [_pair(pair) for pair in told.pairs],
    }
    return {about: as_json(body)}


def _parts(track: Track, told: Beside, shown: list[str], *, open_names: bool) -> list[dict[str, Any]]:
    names = {corner.code: corner.name for corner in track.corners}
    places = {part.code: part for part in track.segment_parts}
    parts = []
    for code, cells in told.cells.items():
        best = min(cell.reference_us for cell in cells.values())
        parts.append(
            {
                "code": code,
                "name": names.get(code),
                "start_m": places[code].start_m,
                "end_m": places[code].end_m,
                "best_us": round(best),
                "owner": told.owners[code] if open_names else None,
                "cells": [_cell(cells.get(name)) for name in shown],
            }
        )
    return parts


def _cell(cell: Cell | None) -> dict[str, Any] | None:
    if cell is None:
        return None
    times = {"reference_us": cell.reference_us, "behind_us": cell.behind_us, "excess_us": cell.excess_us}
    return {**{name: round(value) for name, value in times.items()}, "candidate": cell.candidate}


def _pair(pair: Pair) -> dict[str, Any]:
    return {**asdict(pair), "worth_us": round(pair.worth_us), "words": pair_words(pair)}
