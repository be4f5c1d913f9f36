"""Sixty kills, some within seconds of each other, while rigs feed laps, people type laps and files are imported."""

import json
import random
import signal
import threading
import time
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from http.client import HTTPConnection, HTTPException
from typing import Any, Final

from sqlalchemy import and_, func, select

from fleet_rival.bench.feed import FeedLoad, feed_line, feed_place, laps_there, send_batch
from fleet_rival.bench.kills import VICTIMS
from fleet_rival.bench.load import cookie_of, made_laps, made_layout
from fleet_rival.core.track import Track
from fleet_rival.db.tables import Combination, FeedEntry, Job, Lap
from fleet_rival.formats.lap_export import write_laps
from fleet_rival.formats.tracks import write_track
from fleet_rival.runtime.supervisor import Supervisor
from fleet_rival.runtime.trial import Trial
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track import tracks
from fleet_rival.services.week import combinations, profiles

__all__ = ["StormOutcome", "storm", "storm_table"]

_HURRY: Final = 10.0
"""How much shorter the supervisor's pauses are than in an installation, so that sixty kills don't take an hour."""
_LAPS_A_FILE: Final = 600
_SETTLES_WITHIN_S: Final = 180.0
_OFTEN_WITHIN_S: Final = 5.0


@dataclass
class StormOutcome:
    """What was acknowledged, and what became of it.

    Attributes:
        kills: of each part.
        close: kills within five seconds of the one before.
        fed, typed: laps acknowledged.
        imports: how many import jobs ended in each way.
        lost, torn, stuck: in sentences; empty where there was nothing of it.
        runs: whether everything answered at the end, and took a lap.
    """

    kills: Counter[str] = field(default_factory=Counter)
    close: int = 0
    fed: int = 0
    typed: int = 0
    imports: Counter[str] = field(default_factory=Counter)
    lost: list[str] = field(default_factory=list)
    torn: list[str] = field(default_factory=list)
    stuck: list[str] = field(default_factory=list)
    runs: bool = False

    @property
    def sound(self) -> bool:
        return self.runs and not (self.lost or self.torn or self.stuck)


class _Person:
    """Somebody's browser, which asks again as pages do until it is answered."""

    def __init__(self, whole: Trial, actor: Actor) -> None:
        self._address = whole.address.removeprefix("http://")
        self._head = {"Cookie": cookie_of(whole.sessions, actor)}
        status, me = self.ask("GET", "/api/me")
        assert status == 200, me
        self._head["X-Fleet-Rival-Token"] = me["csrf_token"]

    def ask(self, method: str, path: str, body: Any = None, file: tuple[str, bytes] | None = None) -> tuple[int, Any]:
        """Status and what was answered; sent again as long as there is no answer, or the server says that it can't."""
        head, sent = dict(self._head), b"" if body is None else json.dumps(body).encode()
        if body is not None:
            head["Content-Type"] = "application/json"
        if file is not None:
            part = (
                f'--edge\r\nContent-Disposition: form-data; name="file"; filename="{file[0]}"\r\nContent-Type: '
                "text/csv\r\n\r\n"
            )
            head["Content-Type"], sent = (
                "multipart/form-data; boundary=edge",
                part.encode() + file[1] + b"\r\n--edge--\r\n",
            )
        while True:
            connection = HTTPConnection(self._address, timeout=15)
            try:
                connection.request(method, path, sent or None, head)
                answer = connection.getresponse()
                told = answer.read()
                if answer.status != 503:
                    return answer.status, json.loads(told or b"null")
            except (OSError, HTTPException, ValueError):
                pass
            finally:
                connection.close()
            time.sleep(0.2)


def storm(whole: Trial, actor: Actor, kills: int, seed: int = 20310410) -> StormOutcome:
    """Kill parts while all kinds of laps come in; afterwards look for each that was acknowledged.

    Raises:
        AssertionError: a lap is there twice.
    """
    out = StormOutcome()
    over = threading.Event()
    load, names = feed_place(whole, actor, "storm", 2)
    layout = made_layout(5, "Storm")
    layout_id = tracks.add_track(whole.sessions, actor, write_track(layout)).id
    typed_place = combinations.add_combination(whole.sessions, actor, layout_id, "Typed")
    typist = profiles.add_driver(whole.sessions, actor, "Storm Typist").id
    typed: dict[int, str] = {}
    lane: dict[str, Any] = {}
    jobs: dict[str, str] = {}
    # Who is there before the first kill.
    people = [_Person(whole, actor), _Person(whole, actor)]
    work: list[Callable[[], None]] = [
        lambda: _feed(whole, load, names, over),
        lambda: _type(people[0], typed_place.id, typist, typed, lane, over),
        lambda: _import(people[1], layout, layout_id, jobs, over),
    ]
    threads = [threading.Thread(target=one) for one in work]
    supervisor = Supervisor(dict(whole.parts))
    for item in supervisor.watched:
        item.clock = lambda: time.monotonic() * _HURRY
        item.began_at = item.clock()
    supervisor.begin()
    for thread in threads:
        thread.start()
    _kill(whole, supervisor, out, kills, random.Random(seed))  # noqa: S311  not a secret
    _rest(supervisor, 3.0)
    over.set()
    end = time.monotonic() + _SETTLES_WITHIN_S
    while any(thread.is_alive() for thread in threads) and time.monotonic() < end:
        _rest(supervisor, 0.1)
    out.stuck += ["somebody's browser waits for ever"] * any(thread.is_alive() for thread in threads)
    while _waiting(whole) and time.monotonic() < end:
        _rest(supervisor, 0.5)
    supervisor.end()
    _look(whole, actor, out, load, typed, lane, jobs)
    return out


def _kill(whole: Trial, supervisor: Supervisor, out: StormOutcome, kills: int, moments: random.Random) -> None:
    last = -60.0
    while out.kills.total() < kills:
        _rest(supervisor, moments.choice((moments.uniform(0.2, 2.0), moments.uniform(2.0, 6.0))))
        victim = moments.choice(VICTIMS)
        part = whole.parts[victim]
        if not part.running or part.started is None:
            continue
        part.started.signal(signal.SIGKILL)
        out.kills[victim] += 1
        out.close += time.monotonic() - last < _OFTEN_WITHIN_S
        last = time.monotonic()


def _rest(supervisor: Supervisor, seconds: float) -> None:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        supervisor.look()
        time.sleep(0.05)


def _feed(whole: Trial, load: FeedLoad, names: list[str], over: threading.Event) -> None:
    number = 0
    while not over.is_set():
        lines = [feed_line(load, name, number + step) for name in names for step in (1, 2, 3)]
        number += 3
        while True:
            connection = HTTPConnection(whole.address.removeprefix("http://"), timeout=15)
            try:
                if send_batch(connection, load, lines):
                    break
            except (OSError, HTTPException, ValueError, AssertionError):
                pass  # no answer, or one that says "not now": the same lines again
            finally:
                connection.close()
            time.sleep(0.1)


def _type(
    person: _Person, combination: Any, driver: Any, typed: dict[int, str], lane: dict[str, Any], over: threading.Event
) -> None:
    _, opened = person.ask("POST", f"/api/combinations/{combination}/lanes", {"driver_id": str(driver)})
    lane.update(opened)
    number = lane["next_number"]
    while not over.is_set():
        line = f"1:{30 + number % 20}.{number % 1000:03d}"
        status, _ = person.ask("POST", f"{_run(lane)}/laps", {"number": number, "line": line})
        if status == 201:
            typed[number] = line
            number += 1
        time.sleep(0.1)


def _run(lane: dict[str, Any]) -> str:
    return f"/api/sessions/{lane['session_id']}/drivers/{lane['driver_id']}/runs/{lane['run']}"


def _import(person: _Person, layout: Track, layout_id: Any, jobs: dict[str, str], over: threading.Event) -> None:
    content = write_laps(made_laps(layout, 12, _LAPS_A_FILE // 12, 5), layout)
    number = 0
    while not over.is_set():
        number += 1
        status, made = person.ask("POST", "/api/combinations", {"layout_id": str(layout_id), "car": f"Storm {number}"})
        if status != 201:
            continue  # it is there already: the answer to the first try was lost
        status, seen = person.ask(
            "POST", f"/api/combinations/{made['id']}/lap-files", file=(f"storm-{number}.laps.csv", content)
        )
        if status == 201:
            status, job = person.ask("POST", f"/api/lap-files/{seen['id']}/import", {"revision": seen["revision"]})
            if status == 202:
                jobs[job["id"]] = made["id"]
        time.sleep(0.5)


def _waiting(whole: Trial) -> int:
    try:
        with whole.sessions() as session:
            entries = (
                session.scalar(select(func.count()).select_from(FeedEntry).where(FeedEntry.state == "waiting")) or 0
            )
            jobs = (
                session.scalar(select(func.count()).select_from(Job).where(Job.state.in_(("waiting", "running")))) or 0
            )
            return int(entries + jobs)
    except Exception:
        return 1


def _look(
    whole: Trial,
    actor: Actor,
    out: StormOutcome,
    load: FeedLoad,
    typed: dict[int, str],
    lane: dict[str, Any],
    jobs: dict[str, str],
) -> None:
    left = _waiting(whole)
    out.stuck += [f"{left} jobs or lines still wait"] * bool(left)
    out.fed, out.typed = len(load.acknowledged), len(typed)
    fed = sum(map(len, laps_there(whole.sessions, actor, load.session).values()))
    out.lost += [f"{out.fed - fed} of the fed laps"] * (fed < out.fed)
    with whole.sessions() as session:
        within = (Lap.team_id == Combination.team_id, Lap.combination_id == Combination.id)
        counted = (
            select(Combination.public_id, func.count(Lap.id))
            .join(Lap, and_(*within))
            .where(Combination.team_id == actor.team_id)
        )
        laps = {str(key): int(count) for key, count in session.execute(counted.group_by(Combination.public_id))}
        states = {
            str(key): state
            for key, state in session.execute(select(Job.public_id, Job.state).where(Job.kind == "laps.import"))
        }
    for job, combination in jobs.items():
        state, count = states.get(job, "gone"), laps.get(combination, 0)
        out.imports[state] += 1
        # One that was asked for twice, since the first answer was lost, finds its laps there already, or is refused.
        out.torn += [f"an import of {count} laps that is {state}"] * (count not in (0, _LAPS_A_FILE))
        out.lost += [f"an import that is {state} and has no laps"] * (state in ("done", "gone") and not count)
    person = _Person(whole, actor)
    kept = {lap["number"]: lap["time_us"] for lap in person.ask("GET", _run(lane))[1]["laps"]}
    for number, line in typed.items():
        minutes, rest = line.split(":")
        out.lost += [f"typed lap {number}"] * (kept.get(number) != round((int(minutes) * 60 + float(rest)) * 1_000_000))
    out.runs = (
        all(part.running and part.answers() for part in whole.parts.values())
        and person.ask("GET", "/api/health")[0] == 200
    )


def storm_table(outcome: StormOutcome) -> str:
    """What it came to, for the document."""
    kills = ", ".join(f"{count} of the {name}" for name, count in sorted(outcome.kills.items()))
    imports = ", ".join(f"{count} {state}" for state, count in sorted(outcome.imports.items())) or "none as jobs"
    wrong = "; ".join([*outcome.lost, *outcome.torn, *outcome.stuck]) or "nothing"
    return (
        "| kills while laps are fed, typed and imported | |\n|---|---|\n"
        f"| kills | {outcome.kills.total()} ({kills}); {outcome.close} within {_OFTEN_WITHIN_S:g} s of the one before "
        "|\n"
        f"| acknowledged | {outcome.fed:,} fed laps, {outcome.typed:,} typed laps; import jobs: {imports} |\n"
        f"| lost | {len(outcome.lost)} (aim 0) |\n| torn | {len(outcome.torn)} (aim 0) |\n| stuck | "
        f"{len(outcome.stuck)} (aim 0) |\n"
        f"| what was wrong | {json.dumps(wrong)[1:-1]} |\n| runs at the end | {'yes' if outcome.runs else 'no'} |\n"
    )
