"""People have the last word on laps: marks overruled, facts mended, many at once; handling and measured values of a
run; remarks.
"""

from collections.abc import Mapping, Sequence
from typing import Any, Final
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.laps.overrule import BadMark, said_with, turned
from fleet_rival.core.runs.feel import BadReading, check_readings
from fleet_rival.core.track import Track
from fleet_rival.core.words import (
    APEX_TESTS,
    CORNER_SPEEDS,
    FLAGS,
    HANDLING_PHASES,
    LAP_KINDS,
    MISTAKES,
    PART_FLAGS,
    WETNESSES,
)
from fleet_rival.db.laps import laps_of
from fleet_rival.db.tables import Combination, Driver, Lap, PracticeSession, Remark
from fleet_rival.services.drive.runs.context import said_by_laps, write_context
from fleet_rival.services.drive.runs.declare import new_run
from fleet_rival.services.drive.runs.places import (
    Place,
    RunKey,
    driver_of,
    find_place,
    laps_in,
    refuse_strange_corners,
    refuse_strange_parts,
    run_row,
    track_of,
)
from fleet_rival.services.shared.base import Actor, begin_change, find_row
from fleet_rival.services.shared.errors import NotThere, Outdated, Refused
from fleet_rival.services.shared.revisions import raise_revisions
from fleet_rival.services.week.combinations import settings_of
from fleet_rival.wording.runs import BECAUSE_WORDS

__all__ = ["add_remark", "change_laps", "remove_remark", "say_of_marks", "turn_laps", "write_feel"]

_FLAGS_LENGTH: Final = 500
"""Characters that a row holds."""
_TEXTS: Final = ("tyre_set", "compound", "setup", "assists", "note")
_NUMBERS: Final = ("tyre_age", "fuel_l", "energy_kwh", "track_temp_c", "air_temp_c")


def _versioned(session: Session, place: Place, versions: Mapping[int, int]) -> list[Lap]:
    """The laps of these numbers, if they are as they were looked at.

    Raises:
        NotThere: one of them is gone.
        Outdated: somebody changed one of them meanwhile.
    """
    laps = laps_in(session, place, list(versions))
    if len(laps) < len(versions):
        raise NotThere("One of these laps no longer exists.")
    if moved := [lap.number for lap in laps if lap.version != versions[lap.number]]:
        raise Outdated(
            f"Somebody changed lap {moved[0]} while you were looking at it. Nothing of yours is written yet."
        )
    return laps


def turn_laps(sessions: sessionmaker[Session], actor: Actor, key: RunKey, versions: Mapping[int, int]) -> None:
    """Turn round whether laps count: what counts is set aside, what doesn't count counts.

    Args:
        versions: of the laps by their number, as they were looked at.
    """
    with sessions.begin() as session:
        place = find_place(session, actor, key, lock=True)
        laps = {lap.number: lap for lap in _versioned(session, place, versions)}
        own = [
            item.lap for item in laps_of(session, actor.team_id, place.combination.id, [place.driver.id], as_said=True)
        ]
        chosen = {
            lap.identity
            for lap in own
            if (lap.session, lap.run) == (place.practice.label, place.number) and lap.number in laps
        }
        found = turned(track_of(session, place.combination), own, chosen, settings_of(place.combination))
        begin_change(
            session, actor, "lap.overrule", f"Overruled marks of {_laps_words(laps.values(), place)}", place.combination
        )
        for identity, said in found.items():
            laps[identity.number].said = said or None
            laps[identity.number].version += 1
        raise_revisions(session, actor.team_id, [place.combination.id])


def say_of_marks(
    sessions: sessionmaker[Session],
    actor: Actor,
    key: RunKey,
    versions: Mapping[int, int],
    marks: Mapping[str, bool | None],
) -> None:
    """Say which marks stand on laps, which don't, and which are left to facts and rules again (None)."""
    with sessions.begin() as session:
        place = find_place(session, actor, key, lock=True)
        laps = _versioned(session, place, versions)
        begin_change(
            session, actor, "lap.overrule", f"Overruled marks of {_laps_words(laps, place)}", place.combination
        )
        for lap in laps:
            try:
                lap.said = said_with(lap.said or {}, marks) or None
            except BadMark as error:
                raise Refused(f"{str(error)[:1].upper()}{str(error)[1:]}.") from error
            lap.version += 1
        raise_revisions(session, actor.team_id, [place.combination.id])


def change_laps(
    sessions: sessionmaker[Session], actor: Actor, key: RunKey, versions: Mapping[int, int], values: Mapping[str, Any]
) -> None:
    """Write facts of laps, of many at once: only those that are given.

    Args:
        values: `time_us` and `sectors` of a single lap; `kind`, `valid`, `flags` (to add and to take away, `+traffic
            -tow`), `wetness`, texts and numbers of any. `tyre_age` is that of the first lap and rises with the others.
    """
    with sessions.begin() as session:
        place = find_place(session, actor, key, lock=True)
        laps = _versioned(session, place, versions)
        if "time_us" in values and len(laps) != 1:
            raise Refused("A lap time is written for one lap at a time.")
        if values.get("kind", "flying") not in LAP_KINDS or values.get("wetness", "dry") not in WETNESSES:
            raise Refused("The kind of lap or the weather is none that there is.")
        _refuse_strange_flags(track_of(session, place.combination), values.get("flags") or ())
        begin_change(session, actor, "lap.change", f"Changed {_laps_words(laps, place)}", place.combination)
        for lap in laps:
            _write(lap, values, lap.number - laps[0].number)
            lap.version += 1
        raise_revisions(session, actor.team_id, [place.combination.id])


def _write(lap: Lap, values: Mapping[str, Any], place: int) -> None:
    for name in ("kind", "valid", "wetness"):
        if name in values:
            setattr(lap, name, values[name])
    if "time_us" in values:
        lap.time_us = values["time_us"]
        # Mended by a person's eye: it is no stopwatch's reading any more, and its parts may not sum up to it.
        if (
            lap.sectors and abs(sum(lap.sectors.values()) - lap.time_us) > 1000 * len(lap.sectors)
        ) or lap.plus_minus_us:
            lap.sectors = None
        if lap.segments and abs(sum(lap.segments.values()) - lap.time_us) > 1000 * len(lap.segments):
            lap.segments = None
    for name in _TEXTS:
        if name in values:
            setattr(lap, name, (values[name] or "").strip() or None)
    for name in _NUMBERS:
        if name in values:
            value = values[name]
            setattr(lap, name, value + place if name == "tyre_age" and value is not None else value)
    if values.get("flags"):
        flags = set((lap.flags or "").split())
        for token in values["flags"]:
            flags = flags | {token[1:]} if token[0] == "+" else flags - {token[1:]}
        lap.flags = " ".join(sorted(flags)) or None
        if len(lap.flags or "") > _FLAGS_LENGTH:
            raise Refused("That is said of more parts than one lap can hold. Say it of the whole lap.")


def _refuse_strange_flags(track: Track, changes: Sequence[str]) -> None:
    for token in changes:
        name, sign, part = token[1:].partition(":")
        if name not in (PART_FLAGS if sign else FLAGS) or token[:1] not in "+-":
            raise Refused(f"{token} is no flag to add or to take away.")
        if sign and token[0] == "+":
            refuse_strange_parts(track, part)


def write_feel(
    sessions: sessionmaker[Session], actor: Actor, key: RunKey, version: int, values: Mapping[str, Any]
) -> None:
    """Write how the car felt and what was measured on it after a run.

    Args:
        version: of the run's declaration, 0 where there is none.
        values: `handling` and `note`, and `readings` with `when`, `how` and values.

    Raises:
        Refused: a value that can't be.
    """
    handling, readings = values["handling"], values["readings"]
    for speed in CORNER_SPEEDS:
        for phase, value in (handling.get(speed) or {}).items():
            if phase not in HANDLING_PHASES or (value is not None and not -3 <= value <= 3):
                raise Refused("Handling goes from −3 (pushes) to 3 (loose), at entry, middle and exit.")
    if any(handling.get(test) not in (None, "calm", "abrupt") for test in APEX_TESTS):
        raise Refused("A test at the apex answers calm or abrupt.")
    try:
        for reading in readings:
            check_readings(reading)
    except BadReading as error:
        raise Refused(str(error)) from error
    with sessions.begin() as session:
        place = find_place(session, actor, key, lock=True)
        laps = laps_in(session, place)
        if not laps:
            raise NotThere("This run has no laps, or no longer exists.")
        made = run_row(session, place)
        if (made.version if made else 0) != version:
            raise Outdated("Somebody changed this run while you were looking at it. Nothing of yours is written yet.")
        begin_change(session, actor, "run.feel", f"Noted how a run of {place.driver.name} felt", place.combination)
        if made is None:
            made = new_run(place)
            write_context(made, said_by_laps(laps))
            made.declared = False
            session.add(made)
        made.handling, made.readings, made.note = (
            handling,
            list(readings),
            (values.get("note") or "").strip()[:2000] or None,
        )


def add_remark(
    sessions: sessionmaker[Session], actor: Actor, key: RunKey, number: int, values: Mapping[str, Any]
) -> UUID:
    """Say something of a lap after the run: where, what, and what it came from.

    A kind is a person's tag of a mistake there; `because` says that it was none of the driver's, and marks the lap so;
    traffic, a yellow flag or a slipstream in a corner marks that part alone.

    Raises:
        Refused: nothing said, a kind without a corner, or a word that there isn't.
    """
    corner, kind, because, cause = (
        values.get("corner"),
        values.get("kind"),
        values.get("because"),
        values.get("cause_corner"),
    )
    text = (values.get("text") or "").strip()[:500] or None
    if kind is not None and kind not in MISTAKES:
        raise Refused(f"{kind} is not a mistake that there is.")
    if because is not None and because not in BECAUSE_WORDS:
        raise Refused(f"{because} is nothing that a remark can put something down to.")
    if kind is not None and corner is None:
        raise Refused("Say in which corner that was.")
    if cause is not None and kind is None:
        raise Refused("Say what happened, if it began in another corner.")
    if kind is None and because is None and text is None:
        raise Refused("Say what happened: choose a word, or write a few.")
    with sessions.begin() as session:
        place = find_place(session, actor, key, lock=True)
        layout = track_of(session, place.combination)
        refuse_strange_corners(layout, corner)
        refuse_strange_corners(layout, cause)
        found = laps_in(session, place, [number])
        if not found:
            raise NotThere(f"Run {key.number} has no lap {number} any more.")
        lap = found[0]
        begin_change(
            session, actor, "lap.remark", f"Remarked on lap {number} of {place.driver.name}", place.combination
        )
        made = Remark(
            team_id=actor.team_id,
            combination_id=place.combination.id,
            lap_id=lap.id,
            person_id=actor.person_id,
            corner=corner,
            kind=kind,
            cause_corner=cause if cause != corner else None,
            because=because,
            text=text,
        )
        session.add(made)
        if because is not None and not _of_part(because, corner):
            lap.said = {**(lap.said or {}), because: True}
            lap.version += 1
        raise_revisions(session, actor.team_id, [place.combination.id])
        session.flush()
        return made.public_id


def remove_remark(sessions: sessionmaker[Session], actor: Actor, remark_id: UUID) -> None:
    """Take a remark away, and the mark that it set; a driver the own ones."""
    with sessions.begin() as session:
        row = find_row(session, Remark, actor, remark_id, "remark", lock=True)
        lap = session.get_one(Lap, row.lap_id)
        driver = session.get_one(Driver, lap.driver_id)
        driver_of(session, actor, driver.public_id)
        if not actor.sees_all and row.person_id != actor.person_id:
            raise Refused("This remark is somebody else's. Add one of your own, or ask them.")
        combination = session.get_one(Combination, row.combination_id)
        session.get_one(PracticeSession, lap.session_id, with_for_update=True)
        begin_change(
            session, actor, "lap.remark", f"Took away a remark on lap {lap.number} of {driver.name}", combination
        )
        own = (
            Remark.team_id == actor.team_id,
            Remark.combination_id == row.combination_id,
            Remark.lap_id == lap.id,
            Remark.id != row.id,
        )
        others = session.execute(select(Remark.because, Remark.corner).where(*own)).tuples()
        said_too = {because for because, corner in others if not _of_part(because, corner)}
        if row.because is not None and row.because not in said_too and (lap.said or {}).get(row.because):
            lap.said = {mark: stands for mark, stands in (lap.said or {}).items() if mark != row.because} or None
            lap.version += 1
        session.delete(row)
        raise_revisions(session, actor.team_id, [combination.id])


def _of_part(because: str | None, corner: str | None) -> bool:
    """Whether a remark says of a part of the lap what others did there; else it marks the whole lap."""
    return corner is not None and because in PART_FLAGS


def _laps_words(laps: Any, place: Place) -> str:
    numbers: Sequence[int] = sorted(lap.number for lap in laps)
    which = f"lap {numbers[0]}" if len(numbers) == 1 else f"{len(numbers)} laps"
    return f"{which} of {place.driver.name}, session {place.practice.label}, run {place.number}"
