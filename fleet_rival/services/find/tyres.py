"""Where on the lap tyres fall off, told by all drivers of a combination: what a track book says of its corners."""

from dataclasses import asdict, dataclass
from functools import partial
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.analysis import DriverAnalysis
from fleet_rival.core.effects import Tyres
from fleet_rival.core.effects.of_team import tyres_of_team
from fleet_rival.core.ledger import group_effects, par_shares
from fleet_rival.core.pace.par import AgainstPar, Par
from fleet_rival.core.track import Track
from fleet_rival.db.tables import Combination, Driver, Layout
from fleet_rival.services.find.analyses import analysis_of, pars_of
from fleet_rival.services.find.figures import sees_others
from fleet_rival.services.find.look import Look, asked_look
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.cache.answers import as_json, kept_answer
from fleet_rival.services.track.tracks import load_track
from fleet_rival.wording.pace import part_eats_words, team_eaters_words

__all__ = ["CornerTyres", "TrackTyres", "team_tyres"]


@dataclass(frozen=True, slots=True)
class CornerTyres:
    """What tyres do in one corner.

    Attributes:
        share: of the falloff of the lap.
        eats: whether it is more than the corner's share of the lap, whatever of it is chance.
    """

    code: str
    share: float
    eats: bool
    words: str


@dataclass(frozen=True, slots=True)
class TrackTyres:
    """What tyres do on a layout with one car.

    Attributes:
        drivers: how many drivers' laps tell it.
        words: where it shows most; why nothing is told, where `corners` is empty.
    """

    drivers: int
    words: str
    corners: tuple[CornerTyres, ...]


def team_tyres(sessions: sessionmaker[Session], actor: Actor, combination_id: UUID) -> tuple[bytes, str]:
    """Where tyres fall off, as JSON, and the stamp of the state it belongs to. Nobody's name is in it; what one
    driver's laps alone tell is told to that driver, and to who sees all.

    Raises:
        NotThere: no such combination.
    """
    look = asked_look(sessions, actor, combination_id, None, ())
    own = None if sees_others(sessions, actor) else actor.driver_id or 0
    about = f"tyres:{'all' if own is None else own}{look.tail}"
    return kept_answer(sessions, actor, combination_id, about, partial(_compute, about, own, look))


def _compute(
    about: str, own: int | None, look: Look, session: Session, actor: Actor, row: Combination
) -> dict[str, bytes]:
    track = load_track(session, session.get_one(Layout, row.layout_id), centreline=False)
    analysis = analysis_of(look, session, actor, row, track)
    pars = pars_of(look, row, track, analysis)
    told = {
        name: found
        for name, driver in analysis.drivers.items()
        if driver.main.group == analysis.team_group and (found := _tyres_of(track, driver, pars)) is not None
    }
    names = session.scalars(select(Driver.name).where(Driver.team_id == actor.team_id, Driver.id == own)).all()
    if own is not None and len(told) == 1 and not told.keys() & set(names):
        told = {}
    return {about: as_json(asdict(_told(list(told.values()))))}


def _tyres_of(
    track: Track, driver: DriverAnalysis, pars: dict[str, tuple[Par | str, dict[str, list[AgainstPar]]]]
) -> tuple[Tyres, dict[str, float]] | None:
    """One driver's falloff by segments, and what each of these takes, in microseconds."""
    shares = par_shares(driver.laps, {session: par for session, (par, _) in pars.items()})
    effects = group_effects(track, driver.laps, driver.main, driver.main.segments, "segments", shares)
    if isinstance(effects, str) or effects.tyres is None or len(effects.passes.codes) < 2:
        return None
    return effects.tyres, dict(zip(effects.passes.codes, effects.passes.base_us.tolist(), strict=True))


def _told(found: list[tuple[Tyres, dict[str, float]]]) -> TrackTyres:
    tyres = tyres_of_team([item for item, _ in found])
    if tyres is None:
        return TrackTyres(0, team_eaters_words([], 0), ())
    base = [sum(times[code] for _, times in found) / len(found) for code in tyres.us_per_lap]
    eaters = tyres.eaters(base)
    eating = {code for code, _ in eaters}
    return TrackTyres(
        len(found),
        team_eaters_words(eaters, len(found)),
        tuple(
            CornerTyres(
                code,
                share,
                code in eating,
                part_eats_words(tyres, code, part_us / sum(base), eats=code in eating),
            )
            for (code, share), part_us in zip(tyres.weights.items(), base, strict=True)
        ),
    )
