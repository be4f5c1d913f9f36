"""The demo's data, put in the way a user would: a track file, a combination, a lap file."""

from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.formats.lap_export import write_laps
from fleet_rival.formats.tracks import write_track
from fleet_rival.services import drive, find, track, week
from fleet_rival.services.team import first_actor
from fleet_rival.simulator.league import harbour_practice

__all__ = ["load_demo"]


def load_demo(sessions: sessionmaker[Session]) -> bool:
    """Load the demo into a team that has no combination yet. Returns whether something was loaded."""
    actor = first_actor(sessions)
    if week.combinations(sessions, actor):
        return False
    practice = harbour_practice()
    layout = track.add_track(sessions, actor, write_track(practice.track))
    combination = week.add_combination(sessions, actor, layout.id, practice.car)
    seen = drive.upload(sessions, actor, combination.id, "demo.laps.csv", write_laps(practice.laps, practice.track))
    drive.confirm(sessions, actor, seen.id, drive.Wishes(seen.revision))
    find.summary(sessions, actor, combination.id)
    return True
