"""Where each driver loses time: the answers of the core, computed once for each state of a combination and kept."""

from collections.abc import Iterable, Mapping
from dataclasses import asdict
from functools import partial
from typing import Any
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.analysis import Analysis, DriverAnalysis, GroupAnalysis
from fleet_rival.core.corners.references import PartFigures, part_figures
from fleet_rival.core.laps.groups import Group
from fleet_rival.core.report import report
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import round_half_even
from fleet_rival.core.track import Track
from fleet_rival.db.tables import Combination, Driver, Lap, Layout, Team
from fleet_rival.services.find.analyses import analysis_of, driver_analysis_of
from fleet_rival.services.find.look import Look, asked_look, countable
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.cache.answers import as_json, kept_answer
from fleet_rival.services.shared.errors import NotThere
from fleet_rival.services.track.tracks import load_track
from fleet_rival.wording.ladder import ladder
from fleet_rival.wording.marks import MARK_WORDS, SURE_WORDS

__all__ = ["driver_laps", "may_see", "sees_others", "summary"]


def summary(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    week_id: UUID | None = None,
    also: Iterable[str] = (),
) -> tuple[bytes, str]:
    """Figures and ladders of a combination, as JSON, and the stamp of the state they belong to.

    All drivers' for who sees all; a driver gets the own ones and the team's best parts, unless the team opened the
    rest.

    Args:
        week_id: of a series' week, whose own laps alone are meant; all laps where missing.
        also: what counts along, after `look.ALSO`.
    """
    look = asked_look(sessions, actor, combination_id, week_id, also)
    about = _about(sessions, actor, combination_id)
    try:
        return kept_answer(sessions, actor, combination_id, about + look.tail, partial(_compute, look))
    except NotThere:
        if not look.stretch or actor.sees_all:
            raise
        # A driver whose laps are all of other weeks.
        return kept_answer(sessions, actor, combination_id, f"summary:nobody{look.tail}", partial(_compute, look))


def driver_laps(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    driver_id: UUID,
    week_id: UUID | None = None,
    also: Iterable[str] = (),
) -> tuple[bytes, str]:
    """One driver's laps with marks, times and losses by part, as JSON, and the stamp.

    Args:
        week_id, also: as in `summary`.

    Raises:
        NotThere: no such combination, the driver has no laps in it, or they aren't the actor's business.
    """
    may_see(sessions, actor, driver_id)
    look = asked_look(sessions, actor, combination_id, week_id, also)
    about = f"driver:{driver_id}{look.tail}"
    return kept_answer(sessions, actor, combination_id, about, partial(_compute_laps, about, driver_id, look))


def may_see(sessions: sessionmaker[Session], actor: Actor, driver_id: UUID) -> None:
    """Let through who may see a driver's laps: who sees all, the driver, and everybody where the team opened them.

    Raises:
        NotThere: somebody else.
    """
    if not actor.sees_all:
        with sessions() as session:
            own = session.scalar(
                select(Driver.public_id).where(Driver.team_id == actor.team_id, Driver.id == actor.driver_id)
            )
            if own != driver_id and not _is_open(session, actor):
                raise NotThere("This driver has no laps in this combination.")


def _about(sessions: sessionmaker[Session], actor: Actor, combination_id: UUID) -> str:
    """Which of the kept summaries is for this person."""
    if actor.sees_all:
        return "summary"
    with sessions() as session:
        if _is_open(session, actor):
            return "summary"
        driven = (
            select(Driver.public_id)
            .join(Lap, (Lap.team_id == Driver.team_id) & (Lap.driver_id == Driver.id))
            .join(Combination, (Combination.team_id == Lap.team_id) & (Combination.id == Lap.combination_id))
            .where(
                Driver.team_id == actor.team_id, Driver.id == actor.driver_id, Combination.public_id == combination_id
            )
            .limit(1)
        )
        return f"summary:{session.scalar(driven) or 'nobody'}"


def sees_others(sessions: sessionmaker[Session], actor: Actor) -> bool:
    """Whether somebody may see the figures of others: who sees all, and everybody where the team opened them."""
    if actor.sees_all:
        return True
    with sessions() as session:
        return _is_open(session, actor)


def _is_open(session: Session, actor: Actor) -> bool:
    return bool(session.scalar(select(Team.open_ranking).where(Team.id == actor.team_id)))


def _compute(look: Look, session: Session, actor: Actor, row: Combination) -> dict[str, bytes]:
    track = load_track(session, session.get_one(Layout, row.layout_id), centreline=False)
    ids = {
        name: str(key)
        for name, key in session.execute(select(Driver.name, Driver.public_id).where(Driver.team_id == actor.team_id))
    }
    analysis = analysis_of(look, session, actor, row, track)
    whole = _summary(track, analysis, ids)
    tail = look.tail
    whole["countable"] = countable(analysis.drivers.values())
    answers = {f"summary{tail}": as_json(whole), f"summary:nobody{tail}": as_json(_of_one(whole, "", {}))}
    for name, driver in analysis.drivers.items():
        answers[f"summary:{ids[name]}{tail}"] = as_json(_of_one(whole, name, countable([driver])))
    return answers


def _compute_laps(
    about: str, driver_id: UUID, look: Look, session: Session, actor: Actor, row: Combination
) -> dict[str, bytes]:
    track = load_track(session, session.get_one(Layout, row.layout_id), centreline=False)
    driver = session.scalar(select(Driver).where(Driver.team_id == actor.team_id, Driver.public_id == driver_id))
    found = driver and driver_analysis_of(look, session, actor, row, track, driver)
    return {about: as_json(_driver(track, found, str(driver_id), look.settings(row)))} if found else {}


def _of_one(whole: dict[str, Any], name: str, counts: Mapping[str, int]) -> dict[str, Any]:
    """What one driver sees: the own figures, and the team's best parts."""
    return {
        **whole,
        "countable": counts,
        "warnings": [warning for warning in whole["warnings"] if warning["driver"] == name],
        "drivers": [driver for driver in whole["drivers"] if driver["name"] == name],
    }


def _summary(track: Track, analysis: Analysis, ids: Mapping[str, str]) -> dict[str, Any]:
    figures = report(analysis, by_set=False)
    return {
        "sectors": [part.code for part in track.sector_parts],
        "segments": _segments(track),
        "team_ideal": figures["team_ideal"],
        "warnings": figures["warnings"],
        "mark_words": {mark: {"name": name, "meaning": meaning} for mark, (name, meaning) in MARK_WORDS.items()},
        "drivers": [
            {
                "id": ids[name],
                "name": name,
                "guest": driver.guest,
                "sure_words": SURE_WORDS[driver.main.sure],
                "ladder": [
                    asdict(rung)
                    for rung in ladder(
                        track, driver.main, analysis.team if driver.main.group == analysis.team_group else None
                    )
                ],
                "figures": {
                    key: figures["drivers"][name][key]
                    for key in ("group", "sure", "laps", "best_us", "ideal", "consistency", "best_of")
                },
                "segments": figures["drivers"][name]["segments"],
                "missing": figures["drivers"][name]["missing"],
                "other_groups": [{**group.group._asdict(), "laps": group.counts["total"]} for group in driver.others],
            }
            for name, driver in analysis.drivers.items()
        ],
    }


def _segments(track: Track) -> list[dict[str, Any]]:
    names = {corner.code: corner for corner in track.corners}
    return [
        {
            "code": part.code,
            "name": names[part.code].name if part.code in names else None,
            "start_m": part.start_m,
            "end_m": part.end_m,
            "linked_to_next": part.code in names and names[part.code].linked_to_next,
        }
        for part in track.segment_parts
    ]


def _driver(track: Track, driver: DriverAnalysis, public_id: str, settings: Settings) -> dict[str, Any]:
    return {
        "id": public_id,
        "name": driver.name,
        "groups": [_strip(track, driver, group, settings) for group in (driver.main, *driver.others)],
    }


def _strip(track: Track, driver: DriverAnalysis, group: GroupAnalysis, settings: Settings) -> dict[str, Any]:
    """Laps by parts: times, losses and marks, in the order of driving. By segments where those are known, else by
    sectors.
    """
    depth: str | None = "segments"
    parts: Mapping[str, PartFigures] = group.segments
    if not any(figures.losses_us for figures in parts.values()):
        parts = part_figures(track, driver.laps, group.members, settings, "sectors")
        depth = "sectors" if any(figures.losses_us for figures in parts.values()) else None
    codes = list(parts) if depth else []
    losses = [parts[code].losses_us.get for code in codes]
    passes = [parts[code].passes for code in codes]
    laps = []
    for index in group.members:
        item = driver.laps[index]
        lap = item.lap
        known = lap.segments if depth == "segments" else lap.sectors
        laps.append(
            {
                "session": lap.session,
                "run": lap.run,
                "lap": lap.number,
                "time_us": lap.time_us,
                "started_at": lap.started_at.isoformat() if lap.started_at else None,
                "marks": dict(item.marks),
                "clean": item.clean,
                "times_us": list(map(known.get, codes)),
                "losses_us": [loss(index) for loss in losses],
                "passes": [index in passed for passed in passes],
                "taken": sorted(item.taken.segments),
                "strikes": list(lap.strikes),
                "incidents": [f"{what}:{corner}" for what, corner in lap.incidents],
                "track_temp_c": lap.track_temp_c,
                "setup": lap.setup,
                "note": lap.note,
            }
        )
    return {
        "group": Group._asdict(group.group),
        "depth": depth,
        "parts": [
            {
                "code": code,
                "n": parts[code].n,
                "reference_us": round_half_even(reference.time_us) if (reference := parts[code].reference) else None,
                "mean_loss_us": round_half_even(parts[code].mean_loss_us),
                "candidate": bool(reference and reference.candidate),
            }
            for code in codes
        ],
        "laps": laps,
    }
