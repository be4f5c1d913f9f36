"""What `./fleet bench` works on: made-up practice of any size, and somebody who asks for it."""

from datetime import UTC, datetime, timedelta
from http.client import HTTPConnection

import numpy as np
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api.access import COOKIE
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.track import Corner, Sector, Track
from fleet_rival.formats.lap_export import write_laps
from fleet_rival.formats.tracks import write_track
from fleet_rival.services.drive import files, importing
from fleet_rival.services.people import sign_in
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track import tracks
from fleet_rival.services.week import combinations
from fleet_rival.services.week.combinations import CombinationView

__all__ = ["Asking", "add_practice", "cookie_of", "made_laps", "made_layout"]


def made_layout(corners: int, name: str) -> Track:
    starts = [200.0 + 250 * index for index in range(corners)]
    return Track(
        name=name,
        layout="Bench",
        kind="street",
        length_m=starts[-1] + 300,
        sectors=(Sector("S1", 0), Sector("S2", starts[corners // 3]), Sector("S3", starts[2 * corners // 3])),
        corners=tuple(
            Corner(f"T{index + 1}", start, start + 60, start + 110, linked_to_next=index % 5 == 3)
            for index, start in enumerate(starts)
        ),
    )


def made_laps(
    layout: Track, drivers: int, each: int, seed: int, begin: datetime = datetime(2031, 5, 1, tzinfo=UTC)
) -> list[Lap]:
    """Practice with runs of 25 laps, two thirds of them unremarkable, times in milliseconds."""
    rng = np.random.default_rng(seed)
    segments = [part.code for part in layout.segment_parts]
    inside = {
        sector.code: [part.code for part in layout.overlapping(sector, layout.segment_parts)]
        for sector in layout.sector_parts
    }
    laps = []
    for driver in range(drivers):
        times = np.round(rng.normal(7000, 60, (each, len(segments)))).astype(np.int64) * 1000
        clock = begin
        for number in range(each):
            kind = "out" if number % 25 == 0 else "in" if number % 25 == 24 else "flying"
            times_here = dict(zip(segments, map(int, times[number]), strict=True))
            total = sum(times_here.values())
            laps.append(
                Lap(
                    driver=f"Driver {driver + 1:02d}",
                    session="1",
                    number=number + 1,
                    run=number // 25 + 1,
                    time_us=total,
                    kind=kind,
                    started_at=clock,
                    valid=number % 17 != 5,
                    strikes=("T2",) if number % 17 == 5 else (),
                    flags=frozenset({"traffic"}) if number % 23 == 7 else frozenset(),
                    tyre_set=f"{number // 25 + 1}",
                    compound="medium",
                    tyre_age=float(number % 25),
                    fuel_l=round(60.0 - number % 25 * 2.1, 1),
                    track_temp_c=27.5,
                    air_temp_c=20.5,
                    purpose="long",
                    setup="base",
                    note="box, box" if number % 50 == 11 else None,
                    segments=times_here,
                    sectors={code: sum(times_here[part] for part in parts) for code, parts in inside.items()},
                )
            )
            clock += timedelta(microseconds=total)
    return laps


def add_practice(
    sessions: sessionmaker[Session], actor: Actor, layout: Track, car: str, laps: list[Lap]
) -> CombinationView:
    """A combination with these laps in it, put in the way a person would."""
    layout_id = tracks.add_track(sessions, actor, write_track(layout)).id
    made = combinations.add_combination(sessions, actor, layout_id, car)
    file_id = files.upload(sessions, actor, made.id, f"{car}.laps.csv", write_laps(laps, layout))
    importing.confirm(sessions, actor, file_id, importing.Wishes(made.revision))
    return combinations.combination(sessions, actor, made.id)


def cookie_of(sessions: sessionmaker[Session], actor: Actor) -> str:
    """What a browser sends in which somebody has signed in."""
    with sessions.begin() as session:
        return f"{COOKIE}={sign_in.start(session, actor.person_id, actor.team_id, 'bench')}"


class Asking:
    """A connection that stays open, as a browser's does."""

    def __init__(self, address: str, cookie: str) -> None:
        self._connection = HTTPConnection(address.removeprefix("http://"), timeout=60)
        self._headers = {"Cookie": cookie}

    def get(self, path: str) -> bytes:
        self._connection.request("GET", path, headers=self._headers)
        answer = self._connection.getresponse()
        body = answer.read()
        assert answer.status == 200, (answer.status, body[:300])
        return body

    def close(self) -> None:
        self._connection.close()
