"""What was driven: sessions with their runs, and one run on a sheet with marks, remarks and what changed since the
one before.
"""

import json
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from functools import partial
from typing import Any
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.laps.marks import judge
from fleet_rival.core.laps.questions import questions
from fleet_rival.core.runs.context import RunContext, changes_since
from fleet_rival.db.laps import laps_of
from fleet_rival.db.tables import Combination, Driver, Lap, Person, PracticeSession, Remark, TraceRow
from fleet_rival.services.drive.practice import PracticeView, practice_view
from fleet_rival.services.drive.runs.context import context_of, said_by_laps
from fleet_rival.services.drive.runs.declare import (
    RunView,
    context_out,
    effective_context,
    last_context,
    merged,
    run_view,
)
from fleet_rival.services.drive.runs.places import Place, RunKey, find_place, laps_in, run_row, track_of
from fleet_rival.services.shared.base import Actor, find_row
from fleet_rival.services.shared.cache.answers import kept_answer
from fleet_rival.services.shared.errors import NotThere
from fleet_rival.services.week.combinations import settings_of
from fleet_rival.wording.marks import MARK_WORDS, in_part_words, why_words
from fleet_rival.wording.mistakes import MISTAKE_WORDS
from fleet_rival.wording.runs import BECAUSE_WORDS, change_words, together_words

__all__ = ["LapOnSheet", "RemarkView", "RunSheet", "judged_laps", "run_sheet"]


@dataclass(frozen=True, slots=True)
class RemarkView:
    """What somebody said of a lap."""

    id: UUID
    lap: int
    corner: str | None
    kind: str | None
    cause_corner: str | None
    because: str | None
    text: str | None
    words: str
    person: str
    own: bool
    made_at: datetime


@dataclass(frozen=True, slots=True)
class LapOnSheet:
    """A lap with its facts, its marks, and why it counts or not."""

    number: int
    version: int
    time_us: int
    kind: str
    has_trace: bool
    started_at: datetime | None
    sectors: dict[str, int]
    segments: dict[str, int]
    plus_minus_us: int | None
    marks: tuple[dict[str, Any], ...]
    """Name, words, meaning, `by` (`fact`, `rule` or `person`)."""
    overruled: tuple[dict[str, str], ...]
    """Marks that facts or rules would set, and somebody said no to."""
    counts: bool
    """Clean: it counts for consistency and pace."""
    why: str
    strikes: tuple[str, ...]
    incidents: tuple[str, ...]
    asked: tuple[dict[str, Any], ...]
    tyre_set: str | None
    compound: str | None
    tyre_age: float | None
    fuel_l: float | None
    energy_kwh: float | None
    wetness: str
    track_temp_c: float | None
    air_temp_c: float | None
    setup: str | None
    options: str | None
    purpose: str | None
    company: str | None
    note: str | None


@dataclass(frozen=True, slots=True)
class RunSheet:
    """A run with everything that is known of it."""

    run: RunView
    practice: PracticeView
    declared: bool
    """Whether there is a declaration; without one, `run.context` is what the laps say and the run before had."""
    supposed: tuple[str, ...]
    """Fields of the context that were taken from the run before, to be confirmed."""
    laps: tuple[LapOnSheet, ...]
    sectors: tuple[str, ...]
    segments: tuple[str, ...]
    corners: tuple[dict[str, Any], ...]
    remarks: tuple[RemarkView, ...]
    changes: tuple[str, ...]
    together: str | None
    """That more than one thing was changed at once."""
    before: RunKey | None
    after: RunKey | None
    """The driver's runs before and after this one."""
    mark_words: dict[str, dict[str, str]]
    mistake_words: dict[str, str]
    because_words: dict[str, str]


def run_sheet(sessions: sessionmaker[Session], actor: Actor, key: RunKey) -> RunSheet:
    """One run.

    Raises:
        NotThere: no such run, or another's for who doesn't see all.
    """
    with sessions() as session:
        place = find_place(session, actor, key)
        combination_id = place.combination.public_id
    judged = judged_laps(sessions, actor, combination_id, key.driver_id)
    with sessions() as session:
        place = find_place(session, actor, key)
        laps = laps_in(session, place)
        if not laps:
            raise NotThere("This run has no laps, or no longer exists.")
        marks = judged.get(f"{place.practice.label}\n{key.number}", {})
        made = run_row(session, place)
        track = track_of(session, place.combination)
        lap_ids = [lap.id for lap in laps]
        traced = set(
            session.scalars(
                select(TraceRow.lap_id).where(TraceRow.team_id == actor.team_id, TraceRow.lap_id.in_(lap_ids))
            )
        )
        before, after = _neighbours(session, place)
        said = said_by_laps(laps)
        context = own = merged(context_of(made), said) if made is not None else said
        declared = said.purpose is not None or (made is not None and made.declared)
        supposed: tuple[str, ...] = ()
        earlier = _context_at(session, place, before) if before else None
        if not declared:
            found = earlier or (last_context(session, place.combination, place.driver) or (None,))[0]
            if found is not None:
                context = merged(own, found)
                supposed = tuple(
                    name for name, value in context_out(context).items() if value != context_out(own)[name]
                )
        changes = changes_since(earlier, own) if earlier else ()
        return RunSheet(
            run=replace(
                run_view(session, place.combination, place.driver, made, place.practice, context), number=key.number
            ),
            practice=practice_view(session, actor, place.practice),
            declared=declared,
            supposed=supposed,
            laps=tuple(_on_sheet(lap, marks.get(str(lap.number), {}), lap.id in traced) for lap in laps),
            sectors=tuple(part.code for part in track.sector_parts),
            segments=tuple(part.code for part in track.segment_parts),
            corners=tuple({"code": corner.code, "name": corner.name} for corner in track.corners),
            remarks=_remarks(session, actor, place, laps),
            changes=tuple(change_words(change) for change in changes),
            together=together_words(changes),
            before=before,
            after=after,
            mark_words={mark: {"name": name, "meaning": meaning} for mark, (name, meaning) in MARK_WORDS.items()},
            mistake_words=dict(MISTAKE_WORDS),
            because_words=dict(BECAUSE_WORDS),
        )


def judged_laps(
    sessions: sessionmaker[Session], actor: Actor, combination_id: UUID, driver_id: UUID
) -> dict[str, dict[str, Any]]:
    """Marks and open questions of all of a driver's laps, from what is kept: by session and run (a line each), then
    by number.
    """
    body, _ = kept_answer(sessions, actor, combination_id, f"sheet:{driver_id}", partial(_judged, driver_id))
    found: dict[str, dict[str, Any]] = json.loads(body)
    return found


def _judged(driver_id: UUID, session: Session, actor: Actor, row: Combination) -> Mapping[str, bytes]:
    """Marks and questions of all of a driver's laps, by run and number."""
    driver = find_row(session, Driver, actor, driver_id, "driver")
    settings = settings_of(row)
    laps = [item.lap for item in laps_of(session, actor.team_id, row.id, [driver.id], as_said=True)]
    out: dict[str, dict[str, Any]] = defaultdict(dict)
    if laps:
        track = track_of(session, row)
        judged = judge(track, laps, settings)
        asked: dict[int, list[dict[str, Any]]] = defaultdict(list)
        for question in questions(judged, settings):
            asked[question.index].append(
                {"kind": question.kind, "corner": question.corner, "loss_us": question.loss_us, "laps": question.laps}
            )
        for index, item in enumerate(judged):
            out[f"{item.lap.session}\n{item.lap.run}"][str(item.lap.number)] = {
                "marks": item.marks,
                "overruled": sorted(item.overruled),
                "time_us": item.lap.time_us,
                "counts": item.clean,
                "flags": sorted(item.lap.flags),
                "strikes": item.lap.strikes,
                "incidents": [f"{what}:{corner}" for what, corner in item.lap.incidents],
                "wetness": item.lap.wetness,
                "track_temp_c": item.lap.track_temp_c,
                "air_temp_c": item.lap.air_temp_c,
                "asked": asked.get(index, []),
            }
    return {f"sheet:{driver_id}": json.dumps(out, ensure_ascii=False, separators=(",", ":")).encode()}


def _on_sheet(lap: Lap, judged: Mapping[str, Any], has_trace: bool) -> LapOnSheet:
    said = lap.said or {}
    marks = []
    for mark, inferred in judged.get("marks", {}).items():
        name, meaning = MARK_WORDS[mark]
        by = "person" if said.get(mark) else "rule" if inferred else "fact"
        if mark == "in_part" and (flags := judged.get("flags")):
            name = in_part_words(flags)
            by = "fact" if set(flags) <= set((lap.flags or "").split()) else "person"
        marks.append({"mark": mark, "name": name, "meaning": meaning, "by": by})
    denied = [{"mark": mark, "name": MARK_WORDS[mark][0]} for mark in judged.get("overruled", ())]
    counts = bool(judged.get("counts"))
    return LapOnSheet(
        number=lap.number,
        version=lap.version,
        time_us=lap.time_us,
        kind=lap.kind,
        started_at=lap.started_at,
        has_trace=has_trace,
        sectors=dict(lap.sectors or {}),
        segments=dict(lap.segments or {}),
        plus_minus_us=lap.plus_minus_us,
        marks=tuple(marks),
        overruled=tuple(denied),
        counts=counts,
        why=why_words(lap.kind, marks, denied, counts),
        strikes=tuple(judged.get("strikes", ())),
        incidents=tuple(judged.get("incidents", ())),
        asked=tuple(judged.get("asked", ())),
        tyre_set=lap.tyre_set,
        compound=lap.compound,
        tyre_age=lap.tyre_age,
        fuel_l=lap.fuel_l,
        energy_kwh=lap.energy_kwh,
        wetness=judged.get("wetness", lap.wetness),
        track_temp_c=judged.get("track_temp_c"),
        air_temp_c=judged.get("air_temp_c"),
        setup=lap.setup,
        options=lap.options,
        purpose=lap.purpose,
        company=lap.company,
        note=lap.note,
    )


def _remarks(session: Session, actor: Actor, place: Place, laps: Sequence[Lap]) -> tuple[RemarkView, ...]:
    numbers = {lap.id: lap.number for lap in laps}
    query = (
        select(Remark, Person.name)
        .join(Person, Person.id == Remark.person_id)
        .where(
            Remark.team_id == actor.team_id, Remark.combination_id == place.combination.id, Remark.lap_id.in_(numbers)
        )
        .order_by(Remark.id)
    )
    return tuple(_remark(row, numbers[row.lap_id], name, actor) for row, name in session.execute(query))


def _remark(row: Remark, number: int, person: str, actor: Actor) -> RemarkView:
    begun = f"begun at {row.cause_corner}" if row.cause_corner else None
    pieces = [row.corner, MISTAKE_WORDS.get(row.kind or ""), begun, BECAUSE_WORDS.get(row.because or "")]
    words = " ".join(filter(None, pieces))
    return RemarkView(
        row.public_id,
        number,
        row.corner,
        row.kind,
        row.cause_corner,
        row.because,
        row.text,
        ": ".join(filter(None, (words, row.text))),
        person,
        row.person_id == actor.person_id,
        row.created_at,
    )


def _neighbours(session: Session, place: Place) -> tuple[RunKey | None, RunKey | None]:
    """The driver's runs in this combination before and after this one, in the order of driving."""
    first = func.min(Lap.started_at)
    query: Any = (
        select(PracticeSession.public_id, Lap.run)
        .join(PracticeSession, (PracticeSession.team_id == Lap.team_id) & (PracticeSession.id == Lap.session_id))
        .where(
            Lap.team_id == place.practice.team_id,
            Lap.combination_id == place.combination.id,
            Lap.driver_id == place.driver.id,
        )
        .group_by(PracticeSession.id, Lap.run)
        .order_by(first.is_(None), first, PracticeSession.id, Lap.run)
    )
    keys = [RunKey(practice, place.driver.public_id, number) for practice, number in session.execute(query)]
    at = keys.index(RunKey(place.practice.public_id, place.driver.public_id, place.number))
    return keys[at - 1] if at else None, keys[at + 1] if at + 1 < len(keys) else None


def _context_at(session: Session, place: Place, key: RunKey) -> RunContext:
    practice = session.scalars(
        select(PracticeSession).where(
            PracticeSession.team_id == place.practice.team_id, PracticeSession.public_id == key.session_id
        )
    ).one()
    return effective_context(session, Place(place.combination, practice, place.driver, key.number))
