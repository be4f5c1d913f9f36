"""What people say of passes, over all rules: another kind, another corner, or that it was no mistake."""

from collections.abc import Mapping
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.words import MISTAKES
from fleet_rival.db.tables import Combination, CorrectionRow, LikeKind
from fleet_rival.services.drive.runs.places import (
    RunKey,
    find_place,
    laps_in,
    refuse_strange_corners,
    refuse_strange_parts,
    track_of,
)
from fleet_rival.services.shared.base import Actor, begin_change
from fleet_rival.services.shared.errors import NotThere, Refused
from fleet_rival.services.shared.revisions import raise_revisions
from fleet_rival.wording.mistakes import MISTAKE_WORDS

__all__ = ["correct", "uncorrect"]


def correct(
    sessions: sessionmaker[Session], actor: Actor, key: RunKey, number: int, corner: str, values: Mapping[str, Any]
) -> None:
    """Say of one pass what it was; that counts over what rules find, from then on.

    Args:
        number: of the lap.
        corner: where it shows.
        values: `kind` (None: as the rules say), `cause_corner`, `no_mistake`, `remark`; and `like`: the kind by rules
            for which all of the driver's passes like this one get this kind too, None for this one alone.

    Raises:
        NotThere: no such run or lap, or another driver's.
        Refused: nothing said, or a kind or corner that there isn't.
    """
    kind, cause, no_mistake = values.get("kind"), values.get("cause_corner"), bool(values.get("no_mistake"))
    remark, like = (values.get("remark") or "").strip()[:500] or None, values.get("like")
    for word in (kind, like):
        if word is not None and word not in MISTAKES:
            raise Refused(f"{word} is not a mistake that there is.")
    if kind is None and cause is None and not no_mistake and remark is None:
        raise Refused("Say what it was: another kind, another corner, or that it was no mistake.")
    if no_mistake and (kind is not None or cause is not None):
        raise Refused("Either it was no mistake, or say which one it was.")
    if like is not None and kind is None:
        raise Refused("Say which kind all passes like this one are.")
    with sessions.begin() as session:
        place = find_place(session, actor, key, lock=True)
        layout = track_of(session, place.combination)
        refuse_strange_parts(layout, corner)
        refuse_strange_corners(layout, cause)
        found = laps_in(session, place, [number])
        if not found:
            raise NotThere(f"Run {key.number} has no lap {number} any more.")
        told = (
            "no mistake"
            if no_mistake
            else MISTAKE_WORDS[kind]
            if kind
            else f"begun at {cause}"
            if cause
            else "a remark"
        )
        begin_change(
            session,
            actor,
            "pass.correct",
            f"Said of {corner} on lap {number} of {place.driver.name}: {told}",
            place.combination,
        )
        own = (
            CorrectionRow.team_id == actor.team_id,
            CorrectionRow.lap_id == found[0].id,
            CorrectionRow.corner == corner,
        )
        row = session.scalars(select(CorrectionRow).where(*own)).first()
        if row is None:
            row = CorrectionRow(
                team_id=actor.team_id, combination_id=place.combination.id, lap_id=found[0].id, corner=corner
            )
            session.add(row)
        row.person_id, row.kind, row.cause_corner, row.no_mistake, row.remark = (
            actor.person_id,
            kind,
            cause,
            no_mistake,
            remark,
        )
        if like is not None and kind is not None:
            _alike(session, actor, place.combination, place.driver.id, corner, like, kind)
        raise_revisions(session, actor.team_id, [place.combination.id])


def _alike(
    session: Session, actor: Actor, combination: Combination, driver_id: int, corner: str, rule_kind: str, kind: str
) -> None:
    own = (
        *(
            LikeKind.team_id == actor.team_id,
            LikeKind.combination_id == combination.id,
            LikeKind.driver_id == driver_id,
        ),
        *(LikeKind.corner == corner, LikeKind.rule_kind == rule_kind),
    )
    row = session.scalars(select(LikeKind).where(*own)).first()
    if row is None:
        row = LikeKind(
            team_id=actor.team_id,
            combination_id=combination.id,
            driver_id=driver_id,
            corner=corner,
            rule_kind=rule_kind,
        )
        session.add(row)
    row.person_id, row.kind = actor.person_id, kind


def uncorrect(sessions: sessionmaker[Session], actor: Actor, key: RunKey, number: int, corner: str) -> None:
    """Let the rules speak again, of this pass and of those that were said to be like it.

    Raises:
        NotThere: nobody said anything of it.
    """
    with sessions.begin() as session:
        place = find_place(session, actor, key, lock=True)
        found = laps_in(session, place, [number])
        own = (CorrectionRow.team_id == actor.team_id, CorrectionRow.corner == corner)
        row = (
            session.scalars(select(CorrectionRow).where(*own, CorrectionRow.lap_id == found[0].id)).first()
            if found
            else None
        )
        if row is None:
            raise NotThere("Nobody said anything of this pass.")
        begin_change(
            session,
            actor,
            "pass.correct",
            f"Let the rules tell {corner} on lap {number} of {place.driver.name}",
            place.combination,
        )
        alike = (
            *(
                LikeKind.team_id == actor.team_id,
                LikeKind.combination_id == place.combination.id,
                LikeKind.driver_id == place.driver.id,
            ),
            *(LikeKind.corner == corner, LikeKind.kind == row.kind),
        )
        for item in session.scalars(select(LikeKind).where(*alike)):
            session.delete(item)
        session.delete(row)
        raise_revisions(session, actor.team_id, [place.combination.id])
