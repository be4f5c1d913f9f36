"""Laps as a rig delivers them: one act a session, the same twice changes nothing, and taken back as one."""

from dataclasses import replace
from typing import Any

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.laps.lap import Lap
from fleet_rival.db.tables import Lap as LapRow
from fleet_rival.services.drive import files, importing, live
from fleet_rival.services.drive.live import Delivery
from fleet_rival.services.people import rigs, sign_in
from fleet_rival.services.shared import history
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import NotThere, Refused
from fleet_rival.services.track import tracks
from fleet_rival.services.week import combinations
from tests.conftest import DATA, manager_of

Sessions = sessionmaker[Session]


class Cellar:
    """A rig of a team that prepares one combination."""

    def __init__(self, sessions: Sessions) -> None:
        self.sessions = sessions
        self.manager = manager_of(sessions)
        layout = tracks.add_track(sessions, self.manager, (DATA / "oval-102" / "oval-a-102.track.json").read_bytes())
        made = combinations.add_combination(sessions, self.manager, layout.id, "Cinder Truck")
        file_id = files.upload(
            sessions, self.manager, made.id, "x.csv", b"driver,session,lap,time\nYsolde Farrand,1,1,20.7\n"
        )
        importing.confirm(sessions, self.manager, file_id, importing.Wishes(made.revision))
        self.combination = made.id
        self.place = {"track": made.track, "layout": made.layout, "car": "Cinder Truck"}
        found = sign_in.rig(sessions, rigs.make_rig_token(sessions, self.manager, "Cellar")[1])
        assert found is not None
        self.actor: Actor = found

    def deliver(self, *numbers: int, session: str = "live", **changed: Any) -> live.Delivered:
        laps = tuple(
            Lap(driver="Ysolde Farrand", session=session, number=number, run=1, time_us=20_700_000 + number)
            for number in numbers
        )
        whole = {**self.place, "driver": "Ysolde Farrand", "session": session, "laps": laps, **changed}
        return live.deliver(self.sessions, self.actor, Delivery(**whole))

    def laps(self) -> int:
        return combinations.combination(self.sessions, self.manager, self.combination).laps


@pytest.fixture
def cellar(sessions: Sessions) -> Cellar:
    return Cellar(sessions)


def test_laps_come_in_one_by_one_and_never_twice(cellar: Cellar) -> None:
    revision = combinations.combination(cellar.sessions, cellar.manager, cellar.combination).revision
    assert [cellar.deliver(number).added for number in (1, 2, 3)] == [1, 1, 1]
    assert cellar.deliver(2, 3, 4) == live.Delivered(added=1, same=2, different=0)
    assert cellar.laps() == 5
    assert combinations.combination(cellar.sessions, cellar.manager, cellar.combination).revision == revision + 4
    other = replace(Lap(driver="Ysolde Farrand", session="live", number=1, run=1, time_us=1_000), valid=True)
    assert cellar.deliver(laps=(other,)).different == 1
    with cellar.sessions() as session:
        assert 1_000 not in session.scalars(select(LapRow.time_us)).all()


def test_a_session_of_a_rig_is_one_act_that_is_taken_back_as_one(cellar: Cellar) -> None:
    for number in (1, 2, 3):
        cellar.deliver(number)
    cellar.deliver(1, session="later")
    acts = [entry for entry in history.history(cellar.sessions, cellar.manager).items if entry.rig == "Cellar"]
    assert [entry.summary for entry in acts] == [
        "Laps of Ysolde Farrand, session later",
        "Laps of Ysolde Farrand, session live",
    ]
    # It isn't a step of the manager's own: their Ctrl-Z leaves it alone.
    steps = history.steps(cellar.sessions, cellar.manager)
    assert steps.undo is not None and steps.undo.rig is None
    history.undo(cellar.sessions, cellar.manager, acts[1].id)
    assert cellar.laps() == 2
    cellar.deliver(4)
    assert cellar.laps() == 3
    assert [entry.summary for entry in history.history(cellar.sessions, cellar.manager).items].count(
        "Laps of Ysolde Farrand, session live"
    ) == 2


@pytest.mark.parametrize(
    ("changed", "error", "words"),
    [
        ({"driver": "Nobody"}, NotThere, "no driver called Nobody"),
        ({"car": "Another"}, NotThere, "doesn't prepare Another"),
        ({"layout": "Long"}, NotThere, "doesn't prepare"),
        (
            {"laps": (Lap(driver="Ysolde Farrand", session="live", number=1, run=1, time_us=1, segments={"T77": 1}),)},
            Refused,
            "T77",
        ),
    ],
)
def test_what_cannot_be_right_is_refused_whole(
    cellar: Cellar, changed: dict[str, Any], error: type[Exception], words: str
) -> None:
    with pytest.raises(error, match=words):
        cellar.deliver(1, 2, **changed)
    assert cellar.laps() == 1
