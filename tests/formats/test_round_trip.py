"""What is written is read back: any laps, through the lap file."""

import itertools
from datetime import UTC, datetime

from hypothesis import given, settings
from hypothesis import strategies as st

from fleet_rival.core.laps.lap import Incident, Lap
from fleet_rival.core.laps.order import identify
from fleet_rival.core.texts import tidy
from fleet_rival.core.track import Track
from fleet_rival.core.words import (
    COMPANIES,
    FLAGS,
    INCIDENTS,
    LAP_KINDS,
    MISTAKES,
    PART_FLAGS,
    PURPOSES,
    SESSION_KINDS,
    WETNESSES,
)
from fleet_rival.formats.lap_export import write_laps
from fleet_rival.formats.laps import read_laps
from fleet_rival.formats.tracks import read_track, write_track
from tests.making import track

LAYOUT = track(3, linked=(1,))
CODES = [part.code for part in LAYOUT.segment_parts]
# Labels as people give them: no blanks at the ends, no control characters, and nothing that is escaped on export.
labels = (
    st.text(st.characters(codec="utf-8", categories=("L", "N", "P", "S")), min_size=1, max_size=12)
    .map(tidy)
    .filter(lambda text: text.isprintable() and text[:1] not in ("", *"=+-@'"))
)
EARLIEST, LATEST = datetime(2020, 1, 1), datetime(2040, 1, 1)
words = st.from_regex(r"[a-z][a-z0-9-]{0,8}", fullmatch=True)
quantities = st.none() | st.integers(0, 900).map(lambda value: value / 8)
times = st.integers(1, 9_000_000_000)


@st.composite
def laps(draw: st.DrawFn) -> Lap:
    return Lap(
        driver=draw(labels),
        number=draw(st.integers(0, 999)),
        run=draw(st.integers(0, 99)),
        time_us=draw(times),
        session=draw(labels),
        car=draw(st.none() | labels),
        session_kind=draw(st.sampled_from(SESSION_KINDS)),
        started_at=draw(st.none() | st.datetimes(EARLIEST, LATEST, timezones=st.just(UTC))),
        kind=draw(st.sampled_from(LAP_KINDS)),
        valid=draw(st.booleans()),
        strikes=tuple(draw(st.lists(st.sampled_from(CODES), max_size=2))),
        incidents=tuple(
            Incident(draw(st.sampled_from(INCIDENTS)), code)
            for code in draw(st.lists(st.sampled_from(CODES), max_size=2))
        ),
        flags=frozenset(draw(st.sets(st.sampled_from((*FLAGS, *(f"{flag}:{CODES[0]}" for flag in PART_FLAGS)))))),
        company=draw(st.none() | st.sampled_from(COMPANIES)),
        tyre_set=draw(st.none() | labels),
        compound=draw(st.none() | labels),
        tyre_age=draw(quantities),
        fuel_l=draw(quantities),
        track_temp_c=draw(st.none() | st.integers(-200, 600).map(lambda value: value / 10)),
        wetness=draw(st.sampled_from(WETNESSES)),
        purpose=draw(st.none() | st.sampled_from(PURPOSES)),
        setup=draw(st.none() | labels),
        options=tuple((code, draw(words)) for code in draw(st.lists(st.sampled_from(CODES), max_size=2))),
        mistakes=tuple(
            (code, draw(st.sampled_from(MISTAKES))) for code in draw(st.lists(st.sampled_from(CODES), max_size=2))
        ),
        note=draw(st.none() | labels),
        sectors=draw(st.dictionaries(st.sampled_from([part.code for part in LAYOUT.sector_parts]), times)),
        segments=draw(st.dictionaries(st.sampled_from(CODES), times)),
    )


@settings(max_examples=60, deadline=None)
@given(st.lists(laps(), min_size=1, max_size=6))
def test_laps_survive_the_way_through_a_file(driven: list[Lap]) -> None:
    once = [lap for _, lap in identify(driven).laps]
    file = read_laps(write_laps(once, LAYOUT), LAYOUT)
    assert not file.set_aside
    assert {lap.identity: lap for _, lap in file.laps} == {lap.identity: lap for lap in once}
    # Written again it is the same file, byte for byte.
    assert write_laps([lap for _, lap in file.laps], LAYOUT) == write_laps(once, LAYOUT)


@settings(max_examples=80, deadline=None)
@given(st.integers(0, 12), st.sets(st.integers(0, 11)), st.floats(0, 400, allow_nan=False))
def test_tracks_survive_the_way_through_a_file(corners: int, linked: set[int], first: float) -> None:
    layout: Track = track(corners, tuple(linked), sectors=1, first_corner_m=first)
    again = read_track(write_track(layout))
    assert again == layout
    for parts in (again.sector_parts, again.segment_parts):
        if parts:
            assert parts[0].start_m == 0 and parts[-1].end_m == again.length_m
            assert all(before.end_m == after.start_m for before, after in itertools.pairwise(parts))
