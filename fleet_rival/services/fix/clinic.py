"""The corner clinic's answers: the team's corners by cost, one driver's mistakes, and one mistake's passes."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict
from datetime import datetime
from functools import partial
from typing import Any
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.corners.clinic import Clinic
from fleet_rival.core.corners.priorities import Priority, costs_of, shared_mistakes, week_three
from fleet_rival.core.corners.standing_losses import StandingLoss
from fleet_rival.core.corners.when import trend_of
from fleet_rival.core.statistics import round_half_even
from fleet_rival.core.track import Track
from fleet_rival.db.tables import Combination, Driver
from fleet_rival.services.find.figures import may_see, sees_others
from fleet_rival.services.find.look import Look, asked_look
from fleet_rival.services.fix.mistake_card import counted_passes, mistake_told
from fleet_rival.services.fix.passes import LookedThrough, look_through
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.cache.answers import as_json, kept_answer
from fleet_rival.services.week.race_length import RaceLength
from fleet_rival.wording.clinic import (
    depth_words,
    shared_words,
    standing_words,
    temptation_words,
    together_words,
)
from fleet_rival.wording.mistakes import MISTAKE_WORDS

__all__ = ["driver_clinic", "team_clinic"]


def team_clinic(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    week_id: UUID | None = None,
    also: Iterable[str] = (),
) -> tuple[bytes, str]:
    """Corners by drivers, by what they cost a lap, as JSON, and the stamp; a driver's own column alone, unless the
    team opened the rest.
    """
    look = asked_look(sessions, actor, combination_id, week_id, also)
    whose = "all" if sees_others(sessions, actor) else str(actor.driver_id or 0)
    return kept_answer(
        sessions,
        actor,
        combination_id,
        f"clinic:team:{whose}{look.tail}{look.race.tail}",
        partial(_compute, sessions, look),
    )


def driver_clinic(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    driver_id: UUID,
    week_id: UUID | None = None,
    also: Iterable[str] = (),
    until: datetime | None = None,
) -> tuple[bytes, str]:
    """One driver's standing losses and mistakes, as JSON, and the stamp.

    Args:
        until: only from laps before that, to see how it stood then.

    Raises:
        NotThere: no such combination, the driver has no laps in it, or they aren't the actor's business.
    """
    may_see(sessions, actor, driver_id)
    look = asked_look(sessions, actor, combination_id, week_id, also, until)
    names = "" if sees_others(sessions, actor) else ":alone"
    about = f"clinic:{driver_id}{names}{look.tail}{look.race.tail}"
    return kept_answer(sessions, actor, combination_id, about, partial(_compute, sessions, look))


def _compute(
    sessions: sessionmaker[Session], look: Look, session: Session, actor: Actor, row: Combination
) -> dict[str, bytes]:
    found = look_through(sessions, look, session, actor, row)
    own = {str(key): name for name, key in _own_keys(session, actor).items()}
    tail = f"{look.tail}{look.race.tail}"
    answers = {
        f"clinic:team:all{tail}": as_json(_team(found, None)),
        f"clinic:team:0{tail}": as_json(_team(found, "")),
    }
    for key, name in own.items():
        answers[f"clinic:team:{key}{tail}"] = as_json(_team(found, name))
    for name in found.analysis.drivers:
        for alone in ("", ":alone"):
            answers[f"clinic:{found.ids[name]}{alone}{tail}"] = as_json(
                _driver(found, name, look.race, open_names=not alone)
            )
    return answers


def _own_keys(session: Session, actor: Actor) -> dict[str, int]:
    """Drivers' inner keys by name."""
    return {
        name: key
        for name, key in session.execute(select(Driver.name, Driver.id).where(Driver.team_id == actor.team_id))
    }


def _names(track: Track) -> dict[str, str | None]:
    return {corner.code: corner.name for corner in track.corners}


def _team(found: LookedThrough, only: str | None) -> dict[str, Any]:
    """Corners by drivers.

    Args:
        only: a single driver's name, whose column alone is told; None: everybody's.
    """
    names = _names(found.track)
    team = [name for name, driver in found.analysis.drivers.items() if not driver.guest]
    shown = [name for name in team if only is None or name == only]
    depth = next(iter(found.clinics.values())).main.depth if found.clinics else "segments"
    parts = found.track.segment_parts if depth == "segments" else found.track.sector_parts
    columns = {name: costs_of(found.clinics[name].main.recurring, found.clinics[name].standing) for name in shown}
    return {
        "drivers": [
            {"id": found.ids[name], "name": name, "cost_us": round(sum(columns[name].values()))} for name in shown
        ],
        "depth": depth,
        "corners": [
            {
                "code": part.code,
                "name": names.get(part.code),
                "start_m": part.start_m,
                "end_m": part.end_m,
                "cells": [_cell(found.clinics[name].main, columns[name], part.code) for name in shown],
            }
            for part in parts
        ],
        "together": together_words(found.track.stretches if depth == "segments" else (), names),
        "shared": [] if only is not None else _shared(found, team, names),
    }


def _cell(clinic: Clinic, costs: Mapping[str, float], code: str) -> dict[str, Any]:
    figures = clinic.parts.get(code)
    return {
        "cost_us": round(costs.get(code, 0.0)),
        "slips": sum(slip.corner == code for slip in clinic.slips),
        "passes": figures.n if figures else 0,
        "kinds": sorted({item.kind for item in clinic.recurring if item.corner == code}),
    }


def _shared(found: LookedThrough, team: Sequence[str], names: Mapping[str, str | None]) -> list[dict[str, Any]]:
    """Mistakes that are a matter of the track book."""
    clinics = {name: found.clinics[name].main for name in team}
    driven = [name for name in team if clinics[name].slips or found.analysis.drivers[name].main.counts["clean"]]
    return [
        {
            "corner": item.corner,
            "name": names.get(item.corner),
            "kind": item.kind,
            "title": MISTAKE_WORDS[item.kind],
            "drivers": len(item.drivers),
            "of": item.of,
            "words": shared_words(item, names),
        }
        for item in shared_mistakes(clinics, driven)
    ]


def _driver(found: LookedThrough, name: str, race: RaceLength, *, open_names: bool) -> dict[str, Any]:
    driver, clinics = found.analysis.drivers[name], found.clinics[name]
    clinic, names = clinics.main, _names(found.track)
    median_us = driver.main.consistency.median_us
    race_laps = race.laps_at(float(median_us) if median_us is not None else None)
    trends = {
        (item.corner, item.kind): trend_of(item, counted_passes(clinic, item), driver.laps, found.settings)
        for item in clinic.mistakes
    }
    mistakes = [
        mistake_told(found, driver, clinic, item, names, race_laps, trends[item.corner, item.kind])
        for item in clinic.mistakes
    ]
    standing = [_standing(item, names, race_laps, item.against if open_names else None) for item in clinics.standing]
    return {
        "id": found.ids[name],
        "name": name,
        "group": driver.main.group._asdict(),
        "depth": clinic.depth,
        "flying": driver.main.counts["flying"],
        "with_traces": clinic.with_traces,
        "race_laps": race_laps,
        "parts": _parts_told(found.track, clinic, costs_of(clinic.recurring, clinics.standing), names),
        "three": _three(week_three(clinic.recurring, trends, clinics.standing), mistakes, standing),
        "mistakes": mistakes,
        "cold": [mistake_told(found, driver, clinic, item, names, None) for item in clinic.cold_mistakes],
        "standing": standing,
        "trades": [
            {
                "first": item.first,
                "second": item.second,
                "correlation": item.correlation,
                "low": item.low,
                "high": item.high,
                "n": item.n,
            }
            for item in clinic.trades
        ],
        "together": together_words(found.track.stretches if clinic.depth == "segments" else (), names),
        "temptations": [
            {
                "corner": item.corner,
                "name": names.get(item.corner),
                "strikes": item.strikes,
                "passes": item.passes,
                "voided": len(item.voided),
                "among_fastest": item.among_fastest,
                "words": temptation_words(item, names),
            }
            for item in clinic.temptations
        ],
        "missing": depth_words(clinic.depth, bool(clinic.with_traces)),
    }


def _standing(
    item: StandingLoss, names: Mapping[str, str | None], race_laps: float | None, against: str | None
) -> dict[str, Any]:
    """What is lost on every lap; against whom, where that may be told."""
    return {
        "corner": item.corner,
        "name": names.get(item.corner),
        "kind": item.kind,
        "title": MISTAKE_WORDS[item.kind],
        "loss_us": round(item.loss_us),
        "own_us": round(item.own_us),
        "best_us": round(item.best_us),
        "against": against,
        "words": standing_words(item, names, race_laps, against),
    }


def _parts_told(
    track: Track, clinic: Clinic, costs_us: Mapping[str, float], names: Mapping[str, str | None]
) -> list[dict[str, Any]]:
    """Each part with its reference, what slips in it cost, and how many there were."""
    return [
        {
            "code": part.code,
            "name": names.get(part.code),
            "start_m": part.start_m,
            "end_m": part.end_m,
            "cost_us": round(costs_us.get(part.code, 0.0)),
            "reference_us": round_half_even(figures.reference.time_us) if figures.reference else None,
            "slips": sum(slip.corner == part.code for slip in clinic.slips),
            "passes": figures.n,
        }
        for part in (track.segment_parts if clinic.depth == "segments" else track.sector_parts)
        if (figures := clinic.parts.get(part.code))
    ]


def _three(
    chosen: Sequence[Priority], mistakes: Sequence[dict[str, Any]], standing: Sequence[dict[str, Any]]
) -> list[dict[str, Any]]:
    words = {("mistake", item["corner"], item["kind"]): item["words"] for item in mistakes}
    words |= {("standing", item["corner"], item["kind"]): item["words"] for item in standing}
    return [
        {**asdict(item), "cost_us": round(item.cost_us), "words": words[item.what, item.corner, item.kind]}
        for item in chosen
    ]
