"""Which corners eat tyres: found where they do, and told without telling whose laps say so."""

from dataclasses import replace

from sqlalchemy import select

from fleet_rival.api import schemas
from fleet_rival.bench.trials import Evening, practice
from fleet_rival.db.tables import Driver
from fleet_rival.formats.lap_export import write_laps
from fleet_rival.formats.tracks import write_track
from fleet_rival.services.drive import files, importing
from fleet_rival.services.find import tyres
from fleet_rival.services.people.team import add_person
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track import tracks
from fleet_rival.services.week import combinations
from tests.services.conftest import Season

EATS = "T3"
NAMES = ("Ysolde Farrand", "Corin Ashgrove")


def test_a_corner_that_eats_tyres_is_told_of_all_who_drive_there_and_of_nobody_by_name(season: Season) -> None:
    sessions, manager = season.sessions, season.actor
    track, laps = practice(Evening("one corner eats tyres", runs=4, laps=56, tyres=(3,)), "normal", 7)
    layout = tracks.add_track(sessions, manager, write_track(track))
    made = combinations.add_combination(sessions, manager, layout.id, "Street Car")

    def told(actor: Actor = manager) -> schemas.TrackTyresOut:
        body, _ = tyres.team_tyres(sessions, actor, made.id)
        assert b"Ashgrove" not in body and b"Farrand" not in body
        return schemas.TrackTyresOut.model_validate_json(body)

    def drives(name: str) -> None:
        content = write_laps([replace(lap, driver=name) for lap in laps], track)
        now = combinations.combination(sessions, manager, made.id)
        file_id = files.upload(sessions, manager, made.id, "x.csv", content)
        importing.confirm(sessions, manager, file_id, importing.Wishes(now.revision))

    assert told().corners == [] and told().words.startswith("Nobody’s laps tell yet")
    drives("Ysolde Farrand")
    with sessions() as session:
        keys = dict(session.execute(select(Driver.name, Driver.id).where(Driver.team_id == manager.team_id)).all())
    ysolde, corin = (add_person(sessions, manager, f"{name} at home", "driver", keys[name]) for name in NAMES)
    [eats] = [item for item in told().corners if item.eats]
    assert eats.code == EATS and eats.share == max(item.share for item in told().corners) > 0.5
    assert eats.words.endswith("This corner eats tyres: spare them here.") and f"most at {EATS}" in told().words
    # What one driver's laps alone tell is that driver's own business.
    assert told(ysolde) == told() and told(corin).corners == []
    drives("Corin Ashgrove")
    assert told(corin) == told() and told().drivers == 2
