"""A part killed in the middle of an import: afterwards it is whole or not there, and its job says which."""

import os
import time
from collections.abc import Iterator
from uuid import UUID

import pytest
import redis

from fleet_rival.bench.feed import kill_during_feed
from fleet_rival.bench.kills import VICTIMS, Victim, kill_during_import
from fleet_rival.bench.storm import storm
from fleet_rival.jobs import kinds, messages
from fleet_rival.runtime.trial import Trial, trial
from fleet_rival.services.people.team import make_team
from fleet_rival.services.shared import jobs
from tests.conftest import manager_of


@pytest.fixture(scope="module")
def whole(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Trial]:
    outer = os.environ["FLEET_REDIS_URL"]
    with trial(tmp_path_factory.mktemp("killed")) as made:
        os.environ["FLEET_REDIS_URL"] = made.messages.url
        messages.celery.cache_clear()
        messages._shared_connection.cache_clear()
        make_team(made.sessions, "Farhaven Racing", "Maren Holloway")
        yield made
    os.environ["FLEET_REDIS_URL"] = outer
    messages.celery.cache_clear()
    messages._shared_connection.cache_clear()


@pytest.mark.parametrize("victim", VICTIMS)
def test_an_import_outlives_the_kill_of_a_part(whole: Trial, victim: Victim) -> None:
    outcome = kill_during_import(whole, manager_of(whole.sessions), victim, 0.3, f"Killed {victim}", laps=9600)
    assert outcome.sound, outcome
    # It was the worker's or the database's own work that was lost: begun anew, not half kept.
    assert outcome.state == "done" and outcome.attempts == (2 if victim in ("worker", "database") else 1)


def test_every_acknowledged_lap_outlives_the_kill_of_the_server(whole: Trial) -> None:
    outcome = kill_during_feed(whole, manager_of(whole.sessions), "killed once", 1)
    assert outcome.acknowledged > 0 and outcome.lost == 0


def test_what_was_acknowledged_outlives_kills_that_follow_each_other(whole: Trial) -> None:
    outcome = storm(whole, manager_of(whole.sessions), 4)
    assert outcome.sound, outcome
    assert outcome.fed and outcome.typed


def test_a_flushed_message_server_loses_no_job(whole: Trial) -> None:
    actor = manager_of(whole.sessions)
    whole.worker.stop()
    job = jobs.start(
        whole.sessions,
        actor,
        kinds.UNDO,
        "Nothing to take back",
        kinds.AskedTurn(UUID("00000000-0000-7000-8000-000000000000")),
    )
    messages.wake(jobs.key_of(whole.sessions, job.id))
    with redis.Redis.from_url(whole.messages.url) as server:
        assert server.dbsize() > 0
        server.flushall()
    whole.worker.start()
    for _ in range(300):
        seen = jobs.job(whole.sessions, actor, job.id)
        if seen.ended_at:
            break
        time.sleep(0.1)
    assert (seen.state, seen.trouble) == ("failed", "This change doesn't exist, or no longer does.")


def test_jobs_are_done_while_no_message_gets_through(whole: Trial) -> None:
    actor = manager_of(whole.sessions)
    whole.messages.stop()
    try:
        job = jobs.start(
            whole.sessions,
            actor,
            kinds.REDO,
            "Nothing to do again",
            kinds.AskedTurn(UUID("00000000-0000-7000-8000-000000000000")),
        )
        for _ in range(300):
            seen = jobs.job(whole.sessions, actor, job.id)
            if seen.ended_at:
                break
            time.sleep(0.1)
        assert seen.state == "failed"
    finally:
        whole.messages.start()
