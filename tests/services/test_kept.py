"""What is computed once: together by who asks at the same time, remembered by all that it came from, and swept when
nobody asks any more.
"""

import pickle
import threading
import time
from collections.abc import Callable, Mapping
from datetime import timedelta
from uuid import UUID

import pytest
from sqlalchemy import select, update
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.db.tables import Combination, StoredAnalysis
from fleet_rival.formats.tracks import read_track
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.cache.answers import Recent, kept_answer, sweep
from fleet_rival.services.shared.cache.memory import Remembered, key_of
from fleet_rival.services.shared.cache.single_flight import Turns
from fleet_rival.services.shared.errors import NotThere
from fleet_rival.services.track import tracks
from fleet_rival.services.week import combinations
from tests.conftest import DATA, manager_of

Sessions = sessionmaker[Session]


def together(acts: int, act: Callable[[], object]) -> list[object]:
    """Do it from several threads at once."""
    out: list[object] = []
    ready = threading.Barrier(acts)

    def one() -> None:
        ready.wait()
        out.append(act())

    threads = [threading.Thread(target=one) for _ in range(acts)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return out


class TestRemembered:
    def test_who_asks_at_once_gets_what_one_of_them_made(self) -> None:
        held, made = Remembered(10), []

        def make() -> int:
            time.sleep(0.05)
            made.append(1)
            return len(made)

        assert together(6, lambda: held.get(b"key", make)) == [1] * 6 and len(made) == 1

    def test_different_keys_do_not_wait_for_each_other(self) -> None:
        held = Remembered(10)
        both = threading.Barrier(2, timeout=10)
        keys = iter([b"one", b"two"])
        lock = threading.Lock()

        def ask() -> int:
            with lock:
                key = next(keys)
            # Each make can end only when the other has begun.
            return held.get(key, both.wait)

        assert sorted(together(2, ask)) == [0, 1]  # type: ignore[type-var]

    def test_what_fails_is_made_anew_and_keeps_nobody_out(self) -> None:
        held = Remembered(10)

        def fail() -> int:
            raise ValueError("no")

        with pytest.raises(ValueError, match="no"):
            held.get(b"key", fail)
        assert held.get(b"key", lambda: 7) == 7

    def test_what_was_asked_for_least_lately_is_forgotten(self) -> None:
        held = Remembered(5, len)
        for key in (b"a", b"b"):
            held.get(key, lambda: "xx")
        held.get(b"a", lambda: "never made")
        held.get(b"c", lambda: "yy")
        assert held.get(b"a", lambda: "anew") == "xx" and held.get(b"b", lambda: "anew") == "anew"

    def test_what_is_larger_than_all_that_may_be_held_drives_nothing_out(self) -> None:
        held = Remembered(5, len)
        held.get(b"a", lambda: "xx")
        assert held.get(b"b", lambda: "larger") == "larger" and held.known(b"b") is None
        assert held.known(b"a") == "xx"

    def test_a_key_tells_apart_what_looks_alike(self) -> None:
        assert len({key_of("a", "b"), key_of("ab"), key_of(["a", "b"]), key_of(1), key_of(1.0), key_of(None)}) == 6
        assert key_of({"x": (1, 2)}, 3) == key_of({"x": (1, 2)}, 3)

    def test_a_layout_has_one_key_whatever_was_asked_of_it(self) -> None:
        layout = read_track(next((DATA / "oval-102").glob("*.track.json")).read_bytes())
        key = key_of(layout)
        assert layout.segment_parts and layout.sector_parts
        assert key_of(layout) == key and pickle.loads(pickle.dumps(layout)) == layout


class TestTurns:
    def test_who_waited_too_long_goes_on_alone(self) -> None:
        turns, told = Turns(longest_s=0.05), []
        with turns.of("key") as waited:
            assert not waited

            def impatient() -> None:
                with turns.of("key") as also:
                    told.append(also)

            thread = threading.Thread(target=impatient)
            thread.start()
            thread.join(10)
        assert told == [True]
        with turns.of("key") as waited:
            assert not waited, "the turn of who didn't hold it isn't given back twice"


def test_answers_at_hand_are_bounded_by_their_size() -> None:
    recent = Recent(most_bytes=10)
    recent.put("a", b"12345")
    recent.put("b", b"12345")
    assert recent.get("a") == b"12345"
    recent.put("c", b"1")
    assert recent.get("b") is None and recent.get("a") == b"12345" and recent.get("c") == b"1"
    recent.put("a", b"1")
    recent.put("d", b"1234567")
    assert recent.get("a") == b"1"


class TestKeptAnswers:
    @pytest.fixture
    def actor(self, sessions: Sessions) -> Actor:
        return manager_of(sessions)

    @pytest.fixture
    def place(self, sessions: Sessions, actor: Actor) -> UUID:
        layout = tracks.add_track(sessions, actor, next((DATA / "oval-102").glob("*.track.json")).read_bytes())
        return combinations.add_combination(sessions, actor, layout.id, "Brandt Q").id

    def test_pages_that_ask_at_once_are_answered_by_one_computation(
        self, sessions: Sessions, actor: Actor, place: UUID
    ) -> None:
        made = []

        def compute(session: Session, who: Actor, row: Combination) -> Mapping[str, bytes]:
            time.sleep(0.1)
            made.append(row.id)
            return {"summary": b"[1]", "driver:x": b"[2]"}

        asked = iter(["summary", "driver:x"] * 3)
        answers = together(6, lambda: kept_answer(sessions, actor, place, next(asked), compute)[0])
        assert sorted(answers) == [b"[1]"] * 3 + [b"[2]"] * 3 and len(made) == 1  # type: ignore[type-var]
        with pytest.raises(NotThere, match="no laps"):
            kept_answer(sessions, actor, place, "driver:y", compute)

    def test_a_new_state_is_computed_anew(self, sessions: Sessions, actor: Actor, place: UUID) -> None:
        answers = iter([b"[1]", b"[2]"])

        def ask() -> tuple[bytes, str]:
            return kept_answer(sessions, actor, place, "summary", lambda *_: {"summary": next(answers)})

        first, stamp = ask()
        assert (first, stamp) == ask()
        with sessions.begin() as session:
            session.execute(
                update(Combination).where(Combination.public_id == place).values(revision=Combination.revision + 1)
            )
        second, later = ask()
        assert second == b"[2]" and later != stamp

    def test_what_nobody_asks_for_any_more_is_swept(self, sessions: Sessions, actor: Actor, place: UUID) -> None:
        def ask(about: str) -> None:
            kept_answer(sessions, actor, place, about, lambda *_: {about: b"[]"})

        def left() -> set[str]:
            with sessions() as session:
                return set(session.scalars(select(StoredAnalysis.about).where(StoredAnalysis.team_id == actor.team_id)))

        for about in ("summary", "summary+tow", "summary@1-2"):
            ask(about)
        with sessions.begin() as session:
            long_ago = now() - timedelta(days=8)
            session.execute(
                update(StoredAnalysis).where(StoredAnalysis.about != "summary@1-2").values(made_at=long_ago)
            )
            session.execute(
                update(Combination).where(Combination.public_id == place).values(revision=Combination.revision + 1)
            )
        ask("summary")
        with sessions.begin() as session:
            sweep(session, now())
        assert left() == {"summary", "summary@1-2"}, "made anew, and not old enough"
        with sessions.begin() as session:
            sweep(session, now() + timedelta(days=8))
        assert left() == {"summary"}, "however old it is, what still holds stays"
