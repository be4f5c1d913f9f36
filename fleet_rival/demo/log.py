"""What the demo's people learned in the weeks behind."""

from typing import Final

from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.services.log import lessons
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track import tracks
from fleet_rival.services.week import cars

__all__ = ["load_lessons"]

_LEARNED: Final = (
    ("Second gear at Lantern Steps costs nothing and spares the fronts", "Fishmarket", "T6", None, None),
    ("Braking 6 m earlier on cold tyres held for all starts", "Fishmarket", None, "Wrenfield EC-2", "cold_tyres"),
    ("Lift before the crest when it is damp, not behind it", "Long Road", None, None, "damp"),
)
_PROPOSED: Final = "The inside at Weighhouse opens when they look for the outside"


def load_lessons(sessions: sessionmaker[Session], coach: Actor, driver: Actor) -> None:
    """Write it down: what the coach confirmed, and what a driver proposes."""
    places = {item.layout: item.id for item in tracks.layouts(sessions, coach)}
    garage = {item.name: item.id for item in cars.cars(sessions, coach)}
    for text, layout, corner, car, condition in _LEARNED:
        ties = {
            "layout_id": places[layout],
            "corner": corner,
            "car_id": garage[car] if car else None,
            "condition": condition,
        }
        lessons.add_lesson(sessions, coach, {"text": text, **ties})
    lessons.add_lesson(
        sessions, driver, {"text": _PROPOSED, "layout_id": places["Fishmarket"], "corner": "T1", "condition": "start"}
    )
