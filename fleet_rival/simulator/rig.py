"""A stand-in rig: drives a run and delivers laps and samples over HTTP as it goes, as a real rig's program would.

What isn't acknowledged yet it keeps, and sends again until it is: a broken connection costs time, never a lap.
"""

import gzip
import hashlib
import json
import time
import urllib.error
import urllib.parse
import urllib.request
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any, Final

import numpy as np

from fleet_rival.clock import now
from fleet_rival.core.track import Corner, Pit, Sector, Track
from fleet_rival.simulator.car import CarModel
from fleet_rival.simulator.drivers import DriverModel
from fleet_rival.simulator.league import SEED, rig_driver
from fleet_rival.simulator.practice import Run, SessionPlan
from fleet_rival.simulator.stints import StintLap, drive_stint, road_of, truth_of

__all__ = ["Delivered", "DeliveryFailed", "Rig", "Wishes"]

_TRIES: Final = 60
_LONGEST_PAUSE_S: Final = 8.0
_BATCH_LINES: Final = 40
_SAMPLES_A_LINE: Final = 2000
_GETS_LOST: Final = 0.35
"""With `flaky`: share of attempts that break, half of them after the server has taken what was sent."""


class DeliveryFailed(Exception):
    """The laps could not be delivered; the message says why."""


class _Broken(OSError):
    """The connection, broken on purpose."""


@dataclass(frozen=True, slots=True)
class Wishes:
    """How a run is driven.

    Attributes:
        laps: flying laps.
        speed: how many times faster than in reality.
        flaky: break the connection now and then, and hold laps back for a while.
        company: how many others are on the road.
        rate_hz: samples a second; 0 sends none.
        habits: how much of the driver's weaknesses is left: their rates are taken times this.
    """

    laps: int
    speed: float = 1.0
    flaky: bool = False
    company: int = 0
    rate_hz: float = 60.0
    seed: int = SEED
    habits: float = 1.0


@dataclass(frozen=True, slots=True)
class Delivered:
    """A lap that was driven, and what is true of it."""

    item: StintLap
    truth: dict[str, Any]
    waiting: int
    """Lines that are still to be acknowledged."""


@dataclass(slots=True)
class Rig:
    """A rig with its address and token.

    Attributes:
        address: of the application, e.g. `http://127.0.0.1:8350`.
        token: the rig's own.
        sleep: how it waits; tests need not.
    """

    address: str
    token: str
    sleep: Callable[[float], None] = time.sleep
    _outbox: list[dict[str, Any]] = field(default_factory=list)

    def drive(self, driver: str, wishes: Wishes) -> Iterator[Delivered]:
        """Drive the run that waits for a driver, and deliver it.

        Yields:
            Each lap when it is done; once all were yielded, everything is acknowledged.

        Raises:
            DeliveryFailed: refused, or not reached after many tries.
        """
        brief = self._ask(f"/api/rig/brief?driver={urllib.parse.quote(driver)}")
        track, car, model = _road_and_car(brief, wishes.seed)
        model = replace(model, habits=tuple(replace(habit, rate=habit.rate * wishes.habits) for habit in model.habits))
        session = _session(brief, wishes, now())
        rng = np.random.default_rng([wishes.seed, 1])
        fate = np.random.default_rng([wishes.seed, 2])
        driven = drive_stint(
            model, road_of(track), car, track, session, 0, 1, session.starts_at, rng, company=wishes.company
        )
        head = {
            "track": track.name,
            "layout": track.layout,
            "car": brief["car"],
            "driver": brief["driver"],
            "session": session.label,
            "session_local": session.session_local.isoformat() if session.session_local else None,
        }
        for number, item in enumerate(driven):
            self.sleep(item.lap.time_us / 1e6 / wishes.speed)
            lap = replace(item.lap, purpose=None, setup=None, tyre_set=None, tyre_age=None, compound=None)
            if brief["declared"] is None:
                lap = item.lap
            self._outbox += _lines(replace(item, lap=lap), head, number, session.starts_at, wishes.rate_hz)
            # A rig without a network keeps what it has, and sends it later, in whatever order.
            if not (wishes.flaky and fate.random() < _GETS_LOST):
                self._send(fate if wishes.flaky else None)
            yield Delivered(item, truth_of(item, track), len(self._outbox))
        for attempt in range(_TRIES):
            if not self._outbox:
                return
            if wishes.flaky:
                self._outbox = [self._outbox[index] for index in fate.permutation(len(self._outbox))]
            self._send(fate if wishes.flaky else None)
            if self._outbox:
                self.sleep(min(2.0**attempt / 4, _LONGEST_PAUSE_S))
        raise DeliveryFailed(
            f"{len(self._outbox)} lines could not be delivered to {self.address}; tried {_TRIES} times."
        )

    def _send(self, fate: np.random.Generator | None) -> None:
        """Send what waits, a batch at a time; what isn't acknowledged stays.

        Raises:
            DeliveryFailed: the server says that it will never take it.
        """
        while self._outbox:
            batch = self._outbox[:_BATCH_LINES]
            try:
                said = self._post(batch, fate)
            except urllib.error.HTTPError as error:
                with error:
                    if error.code in (429, 503, 507):
                        self.sleep(float(error.headers.get("Retry-After") or 1))
                        return
                    if error.code >= 500:
                        return
                    raise DeliveryFailed(_detail(error)) from error
            except OSError:
                return
            if said["refused"]:
                raise DeliveryFailed(f"a line was refused: {said['refused'][0]['reason']}")
            del self._outbox[: len(batch)]

    def _post(self, batch: list[dict[str, Any]], fate: np.random.Generator | None) -> dict[str, Any]:
        breaks = fate is not None and fate.random() < _GETS_LOST
        if breaks and fate is not None and fate.random() < 0.5:
            raise _Broken("the connection broke before anything was sent")
        body = gzip.compress("\n".join(json.dumps(line) for line in batch).encode(), 1)
        headers = {
            "Content-Type": "application/x-ndjson",
            "Content-Encoding": "gzip",
            "Authorization": f"Bearer {self.token}",
        }
        asked = urllib.request.Request(f"{self.address}/api/rig/feed", body, headers)  # noqa: S310  the operator's own
        with urllib.request.urlopen(asked, timeout=20) as answer:  # noqa: S310  the operator's own
            said: dict[str, Any] = json.load(answer)
        if breaks:
            # The server has it, and the rig doesn't know: it sends it again.
            raise _Broken("the connection broke before the answer came")
        return said

    def _ask(self, path: str) -> dict[str, Any]:
        request = urllib.request.Request(f"{self.address}{path}", headers={"Authorization": f"Bearer {self.token}"})  # noqa: S310
        for attempt in range(5):
            try:
                with urllib.request.urlopen(request, timeout=20) as answer:  # noqa: S310
                    said: dict[str, Any] = json.load(answer)
                    return said
            except urllib.error.HTTPError as error:
                with error:
                    detail = _detail(error)
                if error.code < 500:
                    raise DeliveryFailed(detail) from error
            except OSError as error:
                detail = f"{self.address} doesn't answer ({error})"
            self.sleep(2.0**attempt / 2)
        raise DeliveryFailed(f"{detail}; tried 5 times")


def _detail(error: urllib.error.HTTPError) -> str:
    try:
        return str(json.load(error)["detail"])
    except (ValueError, KeyError):
        return f"the server answered with {error.code}"


def _road_and_car(brief: dict[str, Any], seed: int) -> tuple[Track, CarModel, DriverModel]:
    told = brief["track"]
    line, pit = told.get("centreline"), told.get("pit")
    track = Track(
        told["name"],
        told["layout"],
        told["kind"],
        told["length_m"],
        tuple(Sector(**item) for item in told["sectors"]),
        tuple(Corner(**item) for item in told["corners"]),
        line["step_m"] if line else None,
        tuple((x, y) for x, y in line["xy_m"]) if line else (),
        Pit(**pit) if pit else None,
    )
    car, model = rig_driver(brief["driver"], brief["car"], track, seed)
    return track, car, model


def _session(brief: dict[str, Any], wishes: Wishes, now: datetime) -> SessionPlan:
    told, declared = brief["conditions"], brief["declared"] or {}
    fuel, energy = declared.get("fuel_l"), declared.get("energy_kwh")
    run = Run(declared.get("purpose") or "build", wishes.laps, fuel, energy)
    inside = datetime.fromisoformat(told["session_local"]) if told.get("session_local") else None
    return SessionPlan(
        f"rig {now:%Y-%m-%d %H:%M:%S}",
        now,
        (run,),
        told.get("track_temp_c") or 26.0,
        told.get("air_temp_c") or 19.0,
        told.get("wetness") or "dry",
        declared.get("compound") or "street",
        inside,
    )


_FACTS: Final = (
    "run",
    "time_us",
    "kind",
    "valid",
    "company",
    "compound",
    "tyre_set",
    "tyre_age",
    "fuel_l",
    "energy_kwh",
)
_MORE: Final = ("track_temp_c", "air_temp_c", "wetness", "purpose")


def _lines(item: StintLap, head: dict[str, Any], number: int, began: datetime, rate_hz: float) -> list[dict[str, Any]]:
    """What is sent of a lap: the lap, and its samples in pieces; each with a key that stays the same however often
    it is sent.
    """
    lap = item.lap
    # Names may be long and have any letters, keys not.
    names = json.dumps([head["track"], head["layout"], head["car"], lap.session, lap.driver, lap.run, lap.number])
    stem = hashlib.sha256(names.encode()).hexdigest()[:56]
    told = {
        "lap": lap.number,
        "lap_of_run": number,
        "run_began_at": began.isoformat(),
        **{name: getattr(lap, name) for name in (*_FACTS, *_MORE)},
        "started_at": lap.started_at.isoformat() if lap.started_at else None,
        "strikes": list(lap.strikes),
        "flags": sorted(lap.flags),
        "sectors": dict(lap.sectors),
        "segments": dict(lap.segments),
    }
    lines: list[dict[str, Any]] = [{"kind": "lap", "key": f"lap.{stem}", **head, "lap": told}]
    if rate_hz > 0:
        channels = item.driven.samples(rate_hz)
        count = len(channels["time_s"])
        parts = -(-count // _SAMPLES_A_LINE)
        for part in range(parts):
            piece = slice(part * _SAMPLES_A_LINE, (part + 1) * _SAMPLES_A_LINE)
            values = {name: array[piece].tolist() for name, array in channels.items()}
            where = {"run": lap.run, "lap": lap.number, "part": part, "parts": parts}
            lines.append({"kind": "samples", "key": f"samples.{stem}.{part}", **head, **where, "channels": values})
    return lines
