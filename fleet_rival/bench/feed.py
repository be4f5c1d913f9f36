"""What rigs send under load: how soon it is acknowledged and seen, and that nothing acknowledged is lost when the
server is killed.
"""

import gzip
import json
import os
import random
import signal
import threading
import time
from collections import defaultdict
from dataclasses import dataclass, field
from http.client import HTTPConnection, HTTPException
from statistics import quantiles
from typing import Any, Final

from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.bench.load import cookie_of, made_layout
from fleet_rival.bench.measure import Row
from fleet_rival.bench.onlookers import Onlookers
from fleet_rival.clock import now
from fleet_rival.core.track import Track
from fleet_rival.db.tables import FeedEntry, Lap, PracticeSession
from fleet_rival.formats.tracks import write_track
from fleet_rival.runtime.trial import Trial
from fleet_rival.services.people import rigs
from fleet_rival.services.people.team import add_person
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track import tracks
from fleet_rival.services.week import combinations, profiles

__all__ = [
    "FeedLoad",
    "FeedOutcome",
    "bench_feed",
    "bench_feed_kills",
    "feed_line",
    "feed_place",
    "kill_during_feed",
    "laps_there",
    "send_batch",
]

_LAPS_A_SECOND: Final = 500
_DRIVERS: Final = 20
_LAPS_A_RUN: Final = 30
_BATCHES_A_SECOND: Final = 25
_BROWSERS: Final = 20
_ACK_MS: Final = 250
_SEEN_S: Final = 1.0


@dataclass
class FeedLoad:
    """What was sent and acknowledged."""

    token: str
    address: str
    head: dict[str, str]
    session: str
    acknowledged: dict[tuple[str, int], float] = field(default_factory=dict)
    """Driver and lap to when the answer came."""
    took: list[float] = field(default_factory=list)
    later: int = 0


def feed_line(load: FeedLoad, driver: str, number: int) -> dict[str, Any]:
    """One lap as a rig sends it."""
    lap = {
        "run": (number - 1) // _LAPS_A_RUN + 1,
        "lap": number,
        "lap_of_run": (number - 1) % _LAPS_A_RUN,
        "time_us": 90_000_000 + number,
        "started_at": now().isoformat(),
        "sectors": {"S1": 30_000_000, "S2": 30_000_000, "S3": 30_000_000 + number},
    }
    key = f"{load.session}.{driver.rsplit(maxsplit=1)[-1]}.{number:07d}".replace(" ", "-")
    return {"kind": "lap", "key": key, **load.head, "driver": driver, "session": load.session, "lap": lap}


def send_batch(connection: HTTPConnection, load: FeedLoad, lines: list[dict[str, Any]]) -> bool:
    """Send lines, and note when they were acknowledged; False: later."""
    body = gzip.compress("\n".join(json.dumps(line) for line in lines).encode(), 1)
    headers = {"Authorization": f"Bearer {load.token}", "Content-Encoding": "gzip"}
    begin = time.perf_counter()
    connection.request("POST", "/api/rig/feed", body, headers)
    answer = connection.getresponse()
    said = answer.read()
    if answer.status == 429:
        load.later += 1
        return False
    assert answer.status == 200, said[:300]
    assert not json.loads(said)["refused"], said[:300]
    moment = time.perf_counter()
    load.took.append(moment - begin)
    for line in lines:
        load.acknowledged[line["driver"], line["lap"]["lap"]] = moment
    return True


def feed_place(whole: Trial, actor: Actor, name: str, drivers: int) -> tuple[FeedLoad, list[str]]:
    """A combination, a rig and so many drivers for it."""
    layout: Track = made_layout(3, name)
    layout_id = tracks.add_track(whole.sessions, actor, write_track(layout)).id
    made = combinations.add_combination(whole.sessions, actor, layout_id, "Car")
    names = [f"Feeder {name} {number:02d}" for number in range(drivers)]
    for one in names:
        profiles.add_driver(whole.sessions, actor, one)
    token = rigs.make_rig_token(whole.sessions, actor, f"Rig of {name}")[1]
    return FeedLoad(
        token, whole.address, {"track": made.track, "layout": made.layout, "car": "Car"}, f"feed {name}"
    ), names


def laps_there(sessions: sessionmaker[Session], actor: Actor, label: str) -> dict[int, set[int]]:
    """Numbers of the laps of a session, by driver; raises AssertionError where one is there twice."""
    with sessions() as session:
        ids = session.scalars(
            select(PracticeSession.id).where(PracticeSession.team_id == actor.team_id, PracticeSession.label == label)
        ).all()
        out: dict[int, set[int]] = defaultdict(set)
        for driver, number in session.execute(
            select(Lap.driver_id, Lap.number).where(Lap.team_id == actor.team_id, Lap.session_id.in_(ids))
        ):
            assert number not in out[driver], "a lap is there twice"
            out[driver].add(number)
        return out


def bench_feed(whole: Trial, actor: Actor, seconds_long: float = 20.0) -> list[Row]:
    """Twenty drivers at once, 500 laps a second in all, with twenty browsers that look on."""
    load, names = feed_place(whole, actor, "load", _DRIVERS)
    people = [add_person(whole.sessions, actor, f"Onlooker {number + 1:02d}", "coach") for number in range(_BROWSERS)]
    onlookers = Onlookers(whole.address, [cookie_of(whole.sessions, person) for person in people])
    each = _LAPS_A_SECOND // _BATCHES_A_SECOND
    lanes = 5
    end = time.perf_counter() + seconds_long
    counts = dict.fromkeys(names, 0)

    def lane(number: int) -> None:
        connection = HTTPConnection(whole.address.removeprefix("http://"), timeout=30)
        own = names[number::lanes]
        turn = 0
        due = time.perf_counter() + number / _BATCHES_A_SECOND
        while (moment := time.perf_counter()) < end:
            if moment < due:
                time.sleep(due - moment)
            lines = []
            for index in range(each):
                driver = own[(turn * each + index) % len(own)]
                counts[driver] += 1
                lines.append(feed_line(load, driver, counts[driver]))
            while not send_batch(connection, load, lines):
                time.sleep(1)
            turn += 1
            due += lanes / _BATCHES_A_SECOND
        connection.close()

    begin = time.perf_counter()
    threads = [threading.Thread(target=lane, args=(number,)) for number in range(lanes)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    sent = time.perf_counter() - begin
    total = sum(counts.values())
    while (
        sum(len(laps) for laps in laps_there(whole.sessions, actor, load.session).values()) < total
        and time.perf_counter() < end + 60
    ):
        time.sleep(0.1)
    drained = time.perf_counter() - begin
    there = sum(len(laps) for laps in laps_there(whole.sessions, actor, load.session).values())
    assert there == total, (there, total)
    time.sleep(2)
    late = [
        seen[key] - load.acknowledged[key] for seen in onlookers.leave() for key in load.acknowledged if key in seen
    ]
    return _fed(load, late, total, sent, drained)


def _fed(load: FeedLoad, late: list[float], total: int, sent: float, drained: float) -> list[Row]:
    """Rows of what was fed; in seconds: `late` from acknowledged to seen, `sent` and `drained` from the beginning."""
    ninety_nine = quantiles(load.took, n=100, method="inclusive")[-1] * 1000
    seen = quantiles(late, n=100, method="inclusive")[-1] if late else float("nan")
    share = len(late) / (len(load.acknowledged) * _BROWSERS)
    return [
        (
            f"laps of {_DRIVERS} drivers fed at once ({total:,} in {sent:.0f} s, {load.later} told to come later)",
            f"{total / sent:.0f} laps/s; all of them laps after {drained - sent:.1f} s more",
            f"aim: {_LAPS_A_SECOND} laps/s",
            f"{total / sent / _LAPS_A_SECOND:.2f} (aim ≥ 1)",
        ),
        (
            "the 99th percentile of their acknowledgements",
            f"{ninety_nine:.0f} ms",
            f"most: {_ACK_MS} ms",
            f"{ninety_nine / _ACK_MS:.2f} (aim ≤ 1)",
        ),
        (
            (
                f"from acknowledged to seen in {_BROWSERS} browsers, 99th percentile ({share:.0%} of laps seen one by "
                "one, later ones with them)"
            ),
            f"{seen:.2f} s",
            f"most: {_SEEN_S:g} s",
            f"{seen / _SEEN_S:.2f} (aim ≤ 1)",
        ),
    ]


@dataclass(frozen=True)
class FeedOutcome:
    """What became of acknowledged laps over some kills."""

    kills: int
    acknowledged: int
    lost: int


def kill_during_feed(whole: Trial, actor: Actor, name: str, kills: int, seed: int = 20310410) -> FeedOutcome:
    """Feed laps one batch after the other, kill the server in the middle again and again, send what wasn't
    acknowledged anew.

    Raises:
        TimeoutError: what was acknowledged isn't all there a minute later.
        AssertionError: a lap is there twice.
    """
    load, names = feed_place(whole, actor, name, 2)
    moments = random.Random(seed)  # noqa: S311  not a secret
    over = threading.Event()
    counts = dict.fromkeys(names, 0)

    def feed() -> None:
        connection: HTTPConnection | None = None
        waiting: list[dict[str, Any]] = []
        while not over.is_set() or waiting:
            if not waiting:
                for driver in names:
                    for _ in range(3):
                        counts[driver] += 1
                        waiting.append(feed_line(load, driver, counts[driver]))
            try:
                connection = connection or HTTPConnection(whole.address.removeprefix("http://"), timeout=10)
                if send_batch(connection, load, waiting):
                    waiting = []
            except (OSError, HTTPException):
                if connection is not None:
                    connection.close()
                connection = None
                time.sleep(0.05)
        if connection is not None:
            connection.close()

    feeding = threading.Thread(target=feed)
    feeding.start()
    try:
        for _ in range(kills):
            time.sleep(moments.uniform(0.1, 0.7))
            started = whole.server.started
            assert started is not None
            os.killpg(os.getpgid(started.pid), signal.SIGKILL)
            whole.server.stop()
            whole.server.start()
            whole.server.wait()
    finally:
        over.set()
        feeding.join(60)
    end = time.monotonic() + 60
    wanted = {driver: {number for name, number in load.acknowledged if name == driver} for driver in names}
    while time.monotonic() < end:
        there = laps_there(whole.sessions, actor, load.session)
        if sum(map(len, there.values())) >= len(load.acknowledged):
            break
        time.sleep(0.2)
    with whole.sessions() as session:
        left = session.scalar(select(func.count()).select_from(FeedEntry).where(FeedEntry.state == "waiting")) or 0
    lost = sum(map(len, wanted.values())) - sum(map(len, there.values()))
    if left:
        raise TimeoutError(f"{left} lines aren't taken yet")
    return FeedOutcome(kills, len(load.acknowledged), max(0, lost))


def bench_feed_kills(whole: Trial, actor: Actor, kills: int) -> str:
    """A table of what became of acknowledged laps."""
    outcome = kill_during_feed(whole, actor, "killed", kills)
    return (
        "| killed while rigs feed it, then started again | times | laps acknowledged | of them lost | twice "
        "|\n|---|---|---|---|---|\n"
        f"| the web server | {outcome.kills} | {outcome.acknowledged:,} | {outcome.lost} (aim 0) | 0 (aim 0) |\n"
    )
