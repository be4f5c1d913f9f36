"""The search: every word, in any order, without a difference of case or accents, and never past what is one's own."""

from typing import Any

import pytest
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.services.drive import files, importing
from fleet_rival.services.people.team import add_person, make_team
from fleet_rival.services.shared import search
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track import tracks
from fleet_rival.services.week import combinations
from tests.conftest import DATA, manager_of

Sessions = sessionmaker[Session]
LAPS = """driver,session,run,lap,time
Ysolde Farrand,1,1,1,66.1
Ysolde Farrand,1,2,2,66.2
Ysolde Farrand,Friday,12,3,66.3
Ysolde Farrand,rig of today,1,1,66.4
Åsmund Tull,1,1,1,67.0
"""


@pytest.fixture
def actor(sessions: Sessions) -> Actor:
    made = manager_of(sessions)
    layout = tracks.add_track(sessions, made, (DATA / "oval-102" / "oval-a-102.track.json").read_bytes())
    for car in ("Grindle EC-2", "Other"):
        combination = combinations.add_combination(sessions, made, layout.id, car)
        file_id = files.upload(sessions, made, combination.id, "x.laps.csv", LAPS.encode())
        importing.confirm(sessions, made, file_id, importing.Wishes(combination.revision))
    return made


def found(sessions: Sessions, actor: Actor, text: str) -> list[tuple[str, str]]:
    return [(item.kind, item.title) for item in search.search(sessions, actor, text)]


@pytest.mark.parametrize(
    ("text", "first", "kinds"),
    [
        ("FARRAND ysolde", ("driver", "Ysolde Farrand"), {"driver", "run"}),
        ("asmund", ("driver", "Åsmund Tull"), {"driver", "run"}),
        ("grindle", ("combination", None), {"combination", "car", "run"}),
        ("bramble grindle", ("corner", "T3 Bramblegate"), {"corner"}),
        ("t3", ("corner", "T3 Bramblegate"), {"corner"}),
        ("ysolde run 2", ("run", "Ysolde Farrand, session 1, run 2"), {"run"}),
        ("run 1", ("run", None), {"run"}),
        ("session friday other", ("run", "Ysolde Farrand, session Friday, run 12"), {"run"}),
        ("session rig grindle", ("run", "Ysolde Farrand, session rig of today, run 1"), {"run"}),
        ("ysolde nobody", None, set()),
        ("%", None, set()),
        ("   ", None, set()),
    ],
)
def test_what_is_found_first_and_of_which_kinds(
    sessions: Sessions, actor: Actor, text: str, first: Any, kinds: set[str]
) -> None:
    items = found(sessions, actor, text)
    assert {kind for kind, _ in items} == kinds
    if first:
        assert items[0][0] == first[0] and first[1] in (None, items[0][1])
    if text == "run 1":
        assert all(title.endswith("run 1") for _, title in items)


def test_where_a_hit_leads_to(sessions: Sessions, actor: Actor) -> None:
    run = search.search(sessions, actor, "ysolde run 12 grindle")[0]
    assert (run.session, run.run) == ("Friday", 12) and run.driver_id and run.combination_id
    corner = search.search(sessions, actor, "bramblegate other")[0]
    assert corner.corner == "T3" and "Other" in corner.more
    assert corner.combination_id != run.combination_id


def test_nobody_finds_what_is_not_theirs(sessions: Sessions, actor: Actor) -> None:
    stranger = make_team(sessions, "Elsewhere", "Somebody Else")
    assert [found(sessions, stranger, text) for text in ("ysolde", "grindle", "t3", "run 1")] == [[], [], [], []]
    nobody = add_person(sessions, actor, "Without Laps", "driver")
    assert found(sessions, nobody, "ysolde") == [] and found(sessions, nobody, "run 1") == []
    assert {kind for kind, _ in found(sessions, nobody, "grindle")} == {"combination", "car"}
