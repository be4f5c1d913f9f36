"""Live events: told to whom they concern, resumed after a break, capped, and over when somebody is signed out."""

import threading
import time
from collections.abc import Iterator

import pytest
from flask import Flask
from sqlalchemy import delete
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api import streams
from fleet_rival.api.streams import Streams
from fleet_rival.clock import now
from fleet_rival.db.tables import Event
from fleet_rival.services.people import sign_in
from fleet_rival.services.people.team import add_person, make_team
from fleet_rival.services.shared.base import Actor
from tests.api.conftest import Browser, is_problem

Sessions = sessionmaker[Session]


class Heard:
    """A browser that listens, in a thread of its own."""

    def __init__(self, stream: Iterator[str]) -> None:
        self.text: list[str] = []
        self.over = threading.Event()
        threading.Thread(target=self._listen, args=(stream,), daemon=True).start()

    def _listen(self, stream: Iterator[str]) -> None:
        for piece in stream:
            self.text.append(piece)
        self.over.set()

    def wait_for(self, words: str) -> str:
        for _ in range(500):
            if any(words in piece for piece in self.text):
                return "".join(self.text)
            time.sleep(0.02)
        raise AssertionError(self.text)


def token_of(sessions: Sessions, actor: Actor) -> str:
    with sessions.begin() as session:
        return sign_in.start(session, actor.person_id, actor.team_id, "a test")


@pytest.fixture
def live(app: Flask) -> Iterator[Streams]:
    made = app.extensions["streams"] = Streams(app.extensions["sessions"])
    yield made
    made.close()


def write(client: Browser, combination: str, note: str) -> None:
    version = client.get(f"/api/combinations/{combination}").json["version"]
    body = {"note": note, "cold_laps": None, "cold_seconds": None, "solo_floor_s": None}
    assert (
        client.put(f"/api/combinations/{combination}", json=body, headers={"If-Match": f'"{version}"'}).status_code
        == 200
    )


def test_a_change_is_told_to_the_team_by_name_alone_and_to_nobody_else(
    live: Streams, sessions: Sessions, manager: Actor, client: Browser, combination: str
) -> None:
    stranger = make_team(sessions, "Elsewhere", "Somebody Else")
    listening = [
        Heard(stream) for actor in (manager, stranger) if (stream := live.open(actor, token_of(sessions, actor), None))
    ]
    for one in listening:
        one.wait_for("retry")
    write(client, combination, "a secret note")
    text = listening[0].wait_for("combination.change")
    assert combination in text and "secret" not in text
    time.sleep(0.2)
    assert "combination" not in "".join(listening[1].text)


def test_after_a_break_nothing_is_missing_and_what_is_gone_is_told(
    live: Streams, sessions: Sessions, manager: Actor, client: Browser, combination: str
) -> None:
    last = client.get("/api/events").json["last"]
    for note in ("one", "two"):
        write(client, combination, note)
    polled = client.get(f"/api/events?after={last}").json
    first, second = [item["id"] for item in polled["items"]]
    assert last < first < second == polled["last"] and not polled["missed"]
    stream = live.open(manager, token_of(sessions, manager), last)
    assert stream is not None
    assert Heard(stream).wait_for(f"id: {second}").count("event: change") == 2
    with sessions.begin() as session:
        session.execute(delete(Event).where(Event.id <= first))
    assert client.get(f"/api/events?after={last - 1}").json["missed"]
    late = live.open(manager, token_of(sessions, manager), max(1, last - 1))
    assert late is not None
    Heard(late).wait_for("event: missed")


def test_places_are_limited_in_all_and_for_each_person_and_are_given_back(
    sessions: Sessions, manager: Actor, app: Flask
) -> None:
    few = Streams(sessions, places=3)
    people = [manager, *(add_person(sessions, manager, f"Coach {number}", "coach") for number in range(3))]
    tokens = [token_of(sessions, actor) for actor in people]
    opened = [few.open(actor, token, None) for actor, token in zip(people, tokens, strict=True)]
    assert [bool(stream) for stream in opened] == [True, True, True, False]
    first = opened[0]
    assert first is not None
    next(first)
    first.close()  # type: ignore[attr-defined]
    assert few.open(people[3], tokens[3], None) is not None
    few.close()
    many = Streams(sessions)
    own = [many.open(manager, tokens[0], None) for _ in range(7)]
    assert [bool(stream) for stream in own] == [True] * 6 + [False]
    many.close()


def test_where_no_place_is_left_a_browser_is_told_to_ask(app: Flask, client: Browser) -> None:
    app.extensions["streams"].close()
    answer = client.get("/api/events/stream")
    assert is_problem(answer, 503, "asks every few seconds") and answer.headers["Retry-After"] == "30"


def test_who_is_signed_out_hears_nothing_more(
    live: Streams,
    sessions: Sessions,
    manager: Actor,
    client: Browser,
    combination: str,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(streams, "_BEAT_SECONDS", 0.1)
    coach = add_person(sessions, manager, "Idrik Fenwold", "coach")
    stream = live.open(coach, token_of(sessions, coach), None)
    assert stream is not None
    heard = Heard(stream)
    heard.wait_for(": beat")
    with sessions.begin() as session:
        sign_in.end_all(session, coach.person_id)
    heard.wait_for("signed-out")
    assert heard.over.wait(5)
    write(client, combination, "later")
    assert "combination" not in "".join(heard.text)


def test_what_is_rolled_back_is_not_told_and_old_events_are_swept(sessions: Sessions, manager: Actor) -> None:
    from fleet_rival.db import events

    with pytest.raises(ZeroDivisionError), sessions.begin() as session:
        events.announce(session, manager.team_id, "never")
        session.flush()
        raise ZeroDivisionError
    with sessions.begin() as session:
        session.add(Event(team_id=manager.team_id, topic="old", made_at=now() - events.KEPT_FOR * 2))
    with sessions.begin() as session:
        events.sweep(session)
        assert session.query(Event).where(Event.topic.in_(("old", "never"))).count() == 0
