"""The part of `./fleet bench` that looks for lost time: linked ideals, a driver's whole page, a large group, one
more lap.
"""

import time
from dataclasses import replace
from datetime import timedelta
from typing import Final
from uuid import UUID

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import select, update

from fleet_rival.bench.floors import numpy_pass
from fleet_rival.bench.load import Asking, add_practice, cookie_of, made_laps, made_layout
from fleet_rival.bench.measure import Row, ratio, repeat, repeat_in_turn, seconds
from fleet_rival.clock import now
from fleet_rival.collector import settle
from fleet_rival.core.ideals.linked import Joins, linked_path
from fleet_rival.core.ideals.table import part_table
from fleet_rival.core.laps.lap import LINE_END, Crossing
from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.core.laps.marks import judge
from fleet_rival.core.settings import Settings
from fleet_rival.core.track import Track
from fleet_rival.db.tables import Combination, Lap
from fleet_rival.formats.lap_export import write_laps
from fleet_rival.runtime.trial import Trial
from fleet_rival.services.drive import files, importing
from fleet_rival.services.find import figures, pace
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.week import combinations

__all__ = ["bench_find"]

_LINKED_LAPS: Final = 300
_LINKED_CORNERS: Final = 79
_OWN_LAPS: Final = 500
_GROUP: Final = 40
_CORNERS: Final = 13


def bench_find(whole: Trial, actor: Actor) -> list[Row]:
    """Each beside a plain NumPy pass (best, median, mean, deviation) over the same times."""
    # As the server and its worker do once they have begun.
    settle()
    return [_linked(), *_page(whole, actor), *_group(whole, actor)]


def _times(laps: list[CoreLap]) -> NDArray[np.int64]:
    return np.asarray([list(lap.segments.values()) for lap in laps], dtype=np.int64)


def _with_crossings(layout: Track, laps: list[CoreLap]) -> list[CoreLap]:
    """Each boundary with a speed and an offset, as traces would tell."""
    rng = np.random.default_rng(7)
    codes = [*(part.code for part in layout.segment_parts), LINE_END]
    out = []
    for lap in laps:
        speeds, offsets = rng.normal(150, 2, len(codes)), rng.normal(0, 1, len(codes))
        out.append(
            replace(
                lap,
                crossings={
                    code: Crossing(float(v), float(o)) for code, v, o in zip(codes, speeds, offsets, strict=True)
                },
            )
        )
    return out


def _linked() -> Row:
    layout = made_layout(_LINKED_CORNERS, "Linked")
    laps = _with_crossings(layout, made_laps(layout, 1, _LINKED_LAPS, 5))
    judged = judge(layout, laps, Settings())
    table = part_table(layout, judged, [index for index, item in enumerate(judged) if item.flying], "segments")
    took, floor = (
        repeat(lambda: [linked_path(table, Joins(frozenset()), race=race) for race in (False, True)], 5),
        repeat(lambda: numpy_pass(_times(laps)), 5),
    )
    what = (
        f"linked ideals, for qualifying and for the race, of {_LINKED_LAPS} laps × {_LINKED_CORNERS + 1} segments with "
        "boundary speeds"
    )
    return (what, f"{seconds(took)} (aim 0.5 s)", f"one NumPy pass: {seconds(floor)}", ratio(took, floor))


def _page(whole: Trial, actor: Actor) -> list[Row]:
    layout = made_layout(_CORNERS, "Own")
    laps = made_laps(layout, 1, _OWN_LAPS, 6)
    combination = add_practice(whole.sessions, actor, layout, "Own", laps)
    driver_id = combination.drivers[0].id

    def ask() -> None:
        figures.summary(whole.sessions, actor, combination.id)
        figures.driver_laps(whole.sessions, actor, combination.id, driver_id)
        pace.driver_pace(whole.sessions, actor, combination.id, driver_id)

    # All laps are others than before: also of what is remembered by its laps, nothing is right any more.
    anew, floor = repeat_in_turn(
        ask, lambda: numpy_pass(_times(laps)), 5, before=lambda: _changed(whole, combination.id)
    )
    again = repeat(ask, 50)
    what = f"a driver's whole page (figures, laps, pace), {_OWN_LAPS} laps × {_CORNERS + 1} segments"
    rows = [
        (f"{what}: computed", f"{seconds(anew)} (aim 150 ms)", f"one NumPy pass: {seconds(floor)}", ratio(anew, floor)),
        (f"{what}: from what is kept", f"{seconds(again)} (aim 30 ms)", "the same", ratio(again, floor)),
    ]
    return [*rows, _one_more(whole, actor, layout, combination.id, driver_id, anew)]


def _changed(whole: Trial, combination_id: UUID) -> None:
    """As if all laps had come anew, each a little slower and not all alike: nothing that is kept is right any more."""
    with whole.sessions.begin() as session:
        own = select(Combination.id).where(Combination.public_id == combination_id)
        session.execute(
            update(Lap)
            .where(Lap.combination_id.in_(own))
            .values(time_us=Lap.time_us + 1 + Lap.number % 2)
            .execution_options(synchronize_session=False)
        )
        session.execute(
            update(Combination).where(Combination.public_id == combination_id).values(revision=Combination.revision + 1)
        )


def _one_more(whole: Trial, actor: Actor, layout: Track, combination_id: UUID, driver_id: UUID, anew: float) -> Row:
    """From the moment at which one more lap is in to the answer that holds it."""
    asking = Asking(whole.address, cookie_of(whole.sessions, actor))
    path = f"/api/combinations/{combination_id}/drivers/{driver_id}/pace"
    asking.get(path)
    took = []
    for number in range(5):
        lap = replace(
            made_laps(layout, 1, 2, 90 + number)[1],
            session=f"one more {number}",
            started_at=now() - timedelta(minutes=9 - number),
        )
        seen = combinations.combination(whole.sessions, actor, combination_id)
        file_id = files.upload(whole.sessions, actor, seen.id, f"{number}.laps.csv", write_laps([lap], layout))
        importing.confirm(whole.sessions, actor, file_id, importing.Wishes(seen.revision))
        began = time.perf_counter()
        assert f"one more {number}".encode() in asking.get(path)
        took.append(time.perf_counter() - began)
    asking.close()
    middle = sorted(took)[2]
    return (
        f"that page's pace once one more lap is in, of {_OWN_LAPS}",
        f"{seconds(middle)} (aim 1 s)",
        f"all of the page: {seconds(anew)}",
        ratio(middle, anew),
    )


def _group(whole: Trial, actor: Actor) -> list[Row]:
    layout = made_layout(_CORNERS, "Group")
    laps = made_laps(layout, _GROUP, _OWN_LAPS, 8)
    combination = add_practice(whole.sessions, actor, layout, "Group", laps)

    took, floor = repeat_in_turn(
        lambda: figures.summary(whole.sessions, actor, combination.id),
        lambda: numpy_pass(_times(laps)),
        3,
        before=lambda: _changed(whole, combination.id),
    )
    what = (
        f"all figures of a group of {_GROUP} drivers × {_OWN_LAPS} laps × {_CORNERS + 1} segments, as the worker makes "
        "them"
    )
    return [(what, f"{seconds(took)} (aim 3 s)", f"one NumPy pass: {seconds(floor)}", ratio(took, floor))]
