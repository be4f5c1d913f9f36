"""A stand-in rig: drives a run and delivers each lap over HTTP as it crosses the line, as a real rig's program would."""

import json
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from fleet_rival.core.laps.lap import Lap
from fleet_rival.simulator.league import SEED, live_run

__all__ = ["DeliveryFailed", "Rig"]

_TRIES = 5


class DeliveryFailed(Exception):
    """The laps could not be delivered; the message says why."""


@dataclass(frozen=True, slots=True)
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

    def drive(self, driver: str, laps: int, speed: float, seed: int = SEED) -> Iterator[tuple[Lap, dict[str, Any]]]:
        """Drive a run and deliver each lap when it is done.

        Args:
            laps: flying laps.
            speed: how many times faster than in reality.

        Yields:
            Each lap, and what the application said of it.

        Raises:
            DeliveryFailed: refused, or not reached after several tries.
            ValueError: the league has no such driver.
        """
        practice, session = live_run(driver, laps, datetime.now(UTC), seed)
        head = {
            "track": practice.track.name,
            "layout": practice.track.layout,
            "car": practice.car,
            "driver": driver,
            "session": session.label,
            "session_local": session.session_local.isoformat() if session.session_local else None,
        }
        for lap in practice.laps:
            self.sleep(lap.time_us / 1e6 / speed)
            yield lap, self._deliver({**head, "laps": [_as_json(lap)]})

    def _deliver(self, body: dict[str, Any]) -> dict[str, Any]:
        request = urllib.request.Request(  # noqa: S310  the address is the user's own
            f"{self.address}/api/rig/laps",
            json.dumps(body).encode(),
            {"Content-Type": "application/json", "Authorization": f"Bearer {self.token}"},
        )
        for attempt in range(_TRIES):
            try:
                with urllib.request.urlopen(request, timeout=20) as answer:  # noqa: S310
                    said: dict[str, Any] = json.load(answer)
                    return said
            except urllib.error.HTTPError as error:
                with error:
                    try:
                        detail = json.load(error)["detail"]
                    except (ValueError, KeyError):
                        detail = f"the server answered with {error.code}"
                if error.code < 500:
                    raise DeliveryFailed(detail) from error
            except OSError as error:
                detail = f"{self.address} doesn't answer ({error})"
            # Delivering twice changes nothing, so trying again is safe.
            self.sleep(2.0**attempt / 2)
        raise DeliveryFailed(f"{detail}; tried {_TRIES} times")


def _as_json(lap: Lap) -> dict[str, Any]:
    names = ("run", "time_us", "kind", "valid", "company", "compound", "tyre_set", "tyre_age", "fuel_l", "energy_kwh")
    more = ("track_temp_c", "air_temp_c", "wetness", "purpose")
    return {
        "lap": lap.number,
        **{name: getattr(lap, name) for name in (*names, *more)},
        "started_at": lap.started_at.isoformat() if lap.started_at else None,
        "sectors": dict(lap.sectors),
        "segments": dict(lap.segments),
    }
