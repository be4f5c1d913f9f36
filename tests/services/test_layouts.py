"""Layouts by hand, turned round and shorter; and boundaries that move under laps that are in."""

import math
from dataclasses import replace
from typing import Any
from uuid import UUID

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import select

from fleet_rival.core.track import Corner, Pit, Sector, Track
from fleet_rival.db.tables import Lap, LayoutCorner, SeriesWeekRow, TrackRow
from fleet_rival.formats.tracks import read_track
from fleet_rival.services.shared import history, reversal
from fleet_rival.services.shared.base import Work
from fleet_rival.services.shared.errors import Conflict, NotThere, Outdated, Refused
from fleet_rival.services.shared.lease import Cancelled
from fleet_rival.services.track import book, boundaries, layouts, tracks
from fleet_rival.services.track.boundaries import DraftCorner, Renamed
from fleet_rival.services.week import combinations, series
from tests.services.conftest import NOON, TRACK, Season

BY_HAND = Track(
    "Quernholm",
    "Short",
    "street",
    1000.0,
    (Sector("S1", 0.0),),
    (Corner("T1", 100, 120, 140), Corner("T2", 500, 520, 560)),
)


@pytest.fixture
def layout(season: Season) -> UUID:
    season.week(1)
    return tracks.layouts(season.sessions, season.actor)[0].id


def drafts(season: Season, layout: UUID) -> list[DraftCorner]:
    with season.sessions() as session:
        made = tracks.load_track(
            session, session.scalars(select(tracks.Layout).where(tracks.Layout.public_id == layout)).one()
        )
        ids = dict(session.execute(select(LayoutCorner.code, LayoutCorner.public_id)).tuples().all())
    return [DraftCorner(ids[corner.code], corner) for corner in made.corners]


def sectors(season: Season, layout: UUID) -> list[Sector]:
    return [Sector(**item) for item in book.book(season.sessions, season.actor, layout).sectors]


def change(
    season: Season, layout: UUID, corners: list[DraftCorner], work: Work | None = None, version: int | None = None
) -> Any:
    version = version or book.book(season.sessions, season.actor, layout).version
    own = sectors(season, layout)
    return boundaries.change_boundaries(
        season.sessions, season.actor, layout, version, own, corners, *([work] if work else [])
    )


def laps(season: Season) -> list[Lap]:
    with season.sessions() as session:
        return list(session.scalars(select(Lap).order_by(Lap.id)))


def drive(season: Season, layout: UUID, **columns: Any) -> dict[str, int]:
    """A flying lap with all segment times; what they are."""
    codes = ["L0", *(item.corner.code for item in drafts(season, layout))]
    times = {code: 5_000_000 + index for index, code in enumerate(codes)}
    typed = {code: f"{time / 1e6:.6f}" for code, time in times.items()}
    season.drive("Ysolde Farrand", NOON, [70, sum(times.values()) / 1e6], **typed, **columns)
    return times


def test_a_layout_drawn_up_by_hand_is_written_out_and_read_again(season: Season) -> None:
    made = layouts.draw_up(season.sessions, season.actor, replace(BY_HAND, pit=Pit(950.0, 40.0, "left", 60.0)))
    name, content = layouts.export(season.sessions, season.actor, made)
    assert name == "quernholm-short.track.json" and read_track(content) == replace(
        BY_HAND, pit=Pit(950.0, 40.0, "left", 60.0)
    )
    assert tracks.add_track(season.sessions, season.actor, content).already_there
    with pytest.raises(Conflict, match="there already"):
        layouts.draw_up(season.sessions, season.actor, BY_HAND)
    assert layouts.outline(season.sessions, season.actor, made) == layouts.Outline(None, (), ())


def test_export_gives_the_same_file(season: Season) -> None:
    layout = tracks.layouts(season.sessions, season.actor)[0].id
    _, content = layouts.export(season.sessions, season.actor, layout)
    assert read_track(content) == read_track(TRACK)
    history.undo(
        season.sessions,
        season.actor,
        next(i.id for i in history.history(season.sessions, season.actor).items if i.action == "track.add"),
    )
    again = tracks.add_track(season.sessions, season.actor, content).id
    assert layouts.export(season.sessions, season.actor, again)[1] == content


def test_layouts_of_one_track_are_made_from_each_other(season: Season, layout: UUID) -> None:
    first = drafts(season, layout)
    one = book.book(season.sessions, season.actor, layout).corners[0]
    values = {"other_names": ["The Boiler"], "note": "Bumpy.", "traits": [{"kind": "crest", "where": "entry"}]}
    book.change_corner(season.sessions, season.actor, one.id, one.version, values)
    turned = layouts.derive(season.sessions, season.actor, layout, "reversed", "The other way")
    view = book.book(season.sessions, season.actor, turned)
    assert (view.derivation, view.derived_from, len(view.corners)) == ("reversed", season.layout, len(first))
    assert view.corners[-1].other_names == ("The Boiler",) and view.corners[-1].note == ""
    middle = first[1].corner
    short = layouts.derive(
        season.sessions, season.actor, layout, "shortened", "Cut", (middle.start_m - 1, first[2].corner.start_m - 1)
    )
    view = book.book(season.sessions, season.actor, short)
    assert [item.code for item in view.corners] == [
        item.corner.code for item in first if item.corner.code != middle.code
    ]
    assert view.corners[0].note == "Bumpy." and {item.layout for item in view.siblings} == {
        season.layout,
        "The other way",
    }
    with pytest.raises(Refused, match="isn't inside the lap"):
        layouts.derive(season.sessions, season.actor, layout, "shortened", "No", (10.0, 5.0))
    with pytest.raises(Refused, match="which stretch"):
        layouts.derive(season.sessions, season.actor, layout, "shortened", "No")
    with pytest.raises(Conflict, match="there already"):
        layouts.derive(season.sessions, season.actor, layout, "reversed", "Cut")
    with pytest.raises(Conflict, match="hang on this layout"):
        layouts.remove_layout(season.sessions, season.actor, layout)


def test_a_new_name_is_followed_by_weeks_and_taken_back(season: Season, layout: UUID) -> None:
    view = book.book(season.sessions, season.actor, layout)
    values = {
        "track": "Quernholm",
        "layout": "Long",
        "kind": "oval",
        "pit": Pit(700.0, 40.0),
        "pit_entry_note": " Brake late. ",
        "pit_exit_note": None,
    }
    layouts.change_layout(season.sessions, season.actor, layout, view.version, values)
    again = book.book(season.sessions, season.actor, layout)
    assert (again.track, again.layout, again.kind, again.pit_entry_note) == ("Quernholm", "Long", "oval", "Brake late.")
    with season.sessions() as session:
        assert [(row.track, row.layout) for row in session.scalars(select(SeriesWeekRow))] == [("Quernholm", "Long")]
    with pytest.raises(Outdated):
        layouts.change_layout(season.sessions, season.actor, layout, view.version, values)
    with pytest.raises(Refused, match="pit exit at 99999 m lies outside"):
        layouts.change_layout(
            season.sessions, season.actor, layout, again.version, {**values, "pit": Pit(700.0, 99_999.0)}
        )
    history.undo(season.sessions, season.actor)
    with season.sessions() as session:
        assert [(row.track, row.layout) for row in session.scalars(select(SeriesWeekRow))] == [
            (season.track, season.layout)
        ]


def test_a_layout_that_nothing_hangs_on_goes_with_its_track(season: Season) -> None:
    circle = tuple(
        (159.155 * math.cos(turn * math.tau / 20), 159.155 * math.sin(turn * math.tau / 20)) for turn in range(20)
    )
    whole = replace(
        BY_HAND, centreline_step_m=50.0, centreline_xy_m=tuple((round(x, 3), round(y, 3)) for x, y in circle)
    )
    made = layouts.draw_up(season.sessions, season.actor, whole)
    layouts.remove_layout(season.sessions, season.actor, made)
    with season.sessions() as session:
        assert session.scalars(select(TrackRow.name)).all() == [season.track]
    history.undo(season.sessions, season.actor)
    assert read_track(layouts.export(season.sessions, season.actor, made)[1]) == whole


def test_merging_corners_keeps_exact_sums_marks_references_and_questions(season: Season, layout: UUID) -> None:
    own = drafts(season, layout)
    codes = [item.corner.code for item in own]
    times = drive(
        season,
        layout,
        strikes=f"{codes[0]} {codes[1]}",
        mistakes=f"{codes[1]}:slide",
        options=f"{codes[1]}=high lap=save",
    )
    assert own[1].id is not None and own[2].id is not None
    values = {"point": "braking", "kind": "tree", "thing": "oak", "variant": "usual", "sure": "thin"}
    book.propose(season.sessions, season.actor, own[1].id, values)
    book.propose(season.sessions, season.actor, own[2].id, {**values, "harder_than": codes[1]})
    book.ask(season.sessions, season.actor, layout, own[1].id, "Which?")
    told = boundaries.look_at_boundaries(
        season.sessions, season.actor, layout, sectors(season, layout), [own[0], *own[2:]]
    )
    assert (told.lost, told.summed, told.renamed, told.losing, told.laps) == (
        (),
        (codes[0],),
        (Renamed(codes[1], codes[0]),),
        (),
        2,
    )
    assert change(season, layout, [own[0], *own[2:]]).laps == 2
    lap = laps(season)[1]
    assert lap.segments == {
        **{code: time for code, time in times.items() if code != codes[1]},
        codes[0]: times[codes[0]] + times[codes[1]],
    }
    assert (lap.strikes, lap.mistakes, lap.options) == (codes[0], f"{codes[0]}:slide", f"{codes[0]}=high lap=save")
    view = book.book(season.sessions, season.actor, layout)
    assert [item.corner_id for item in view.references] == [own[0].id, own[2].id] and view.references[
        1
    ].harder_than == codes[0]
    assert view.questions[0].corner_id == own[0].id
    history.undo(season.sessions, season.actor)
    lap = laps(season)[1]
    assert lap.segments == times and lap.mistakes == f"{codes[1]}:slide"
    assert [item.corner.code for item in drafts(season, layout)] == codes
    assert book.book(season.sessions, season.actor, layout).references[0].corner_id == own[1].id
    history.redo(season.sessions, season.actor)
    assert laps(season)[1].mistakes == f"{codes[0]}:slide"


def test_what_a_merged_corner_said_of_its_other_half_is_said_of_no_corner(season: Season, layout: UUID) -> None:
    own = drafts(season, layout)
    codes = [item.corner.code for item in own]
    assert own[0].id is not None and own[2].id is not None
    values = {"point": "braking", "kind": "other", "variant": "usual", "sure": "thin", "harder_than": codes[1]}
    for thing in ("", "oak"):
        book.propose(season.sessions, season.actor, own[0].id, {**values, "thing": thing})
    third = next(item for item in book.book(season.sessions, season.actor, layout).corners if item.code == codes[2])
    book.change_corner(season.sessions, season.actor, third.id, third.version, {"given_up_for": codes[1]})
    own = drafts(season, layout)
    change(season, layout, [own[0], *own[2:]])
    view = book.book(season.sessions, season.actor, layout)
    assert [(item.thing, item.harder_than) for item in view.references] == [
        (f"harder than in the former {codes[1]}", None),
        ("oak", None),
    ]
    assert view.corners[1].given_up_for == codes[0]
    history.undo(season.sessions, season.actor)
    assert [item.harder_than for item in book.book(season.sessions, season.actor, layout).references] == [codes[1]] * 2


def test_moving_a_boundary_says_which_laps_lose_what_and_does_so(season: Season, layout: UUID) -> None:
    own = drafts(season, layout)
    codes = [item.corner.code for item in own]
    times = drive(season, layout)
    moved = replace(own[1].corner, start_m=own[1].corner.start_m - 5)
    corners = [own[0], replace(own[1], corner=moved), *own[2:]]
    told = boundaries.look_at_boundaries(season.sessions, season.actor, layout, sectors(season, layout), corners)
    assert told.lost == (codes[0], codes[1]) and [(item.car, item.laps) for item in told.losing] == [("Truck A", 2)]
    assert laps(season)[1].segments == times  # looking does nothing

    class Told(Work):
        steps: list[str] = []  # noqa: RUF012

        def step(self, share: float, doing: str) -> None:
            self.steps.append(doing)

    change(season, layout, corners, Told())
    assert Told.steps == ["2 of 2 laps looked through"]
    assert laps(season)[1].segments == {code: time for code, time in times.items() if code not in codes[:2]}
    history.undo(season.sessions, season.actor)
    assert laps(season)[1].segments == times and drafts(season, layout) == own


def test_a_change_that_is_cancelled_half_way_changes_nothing(season: Season, layout: UUID) -> None:
    own = drafts(season, layout)
    times = drive(season, layout)
    before = book.book(season.sessions, season.actor, layout)
    acts = len(history.history(season.sessions, season.actor).items)

    class Cancelling(Work):
        def step(self, share: float, doing: str) -> None:
            raise Cancelled

    with pytest.raises(Cancelled):
        change(season, layout, own[1:], Cancelling())
    assert drafts(season, layout) == own and laps(season)[1].segments == times
    assert book.book(season.sessions, season.actor, layout) == before
    assert len(history.history(season.sessions, season.actor).items) == acts


def test_taking_back_what_wrote_many_laps_anew_belongs_into_the_background(
    season: Season, layout: UUID, monkeypatch: pytest.MonkeyPatch
) -> None:
    drive(season, layout)
    own = drafts(season, layout)
    change(season, layout, own[:-1])
    assert history.is_long(season.sessions, season.actor, None) is None
    monkeypatch.setattr(history, "_LONG_FROM_ROWS", 3)
    monkeypatch.setattr(reversal, "_BATCH", 1)
    found = history.is_long(season.sessions, season.actor, None)
    assert found and found[1].startswith("Changed the boundaries of")

    class Told(Work):
        steps: list[str] = []  # noqa: RUF012

        def step(self, share: float, doing: str) -> None:
            assert 0 <= share < 1
            self.steps.append(doing)

    history.undo(season.sessions, season.actor, work=Told())
    assert Told.steps and all("rows are as they were" in doing for doing in Told.steps)
    assert drafts(season, layout) == own


def test_codes_may_be_exchanged_and_corners_added(season: Season, layout: UUID) -> None:
    own = drafts(season, layout)
    first, second = own[0].corner, own[1].corner
    times = drive(season, layout, strikes=first.code, flags=f"boost traffic:{first.code}")
    swapped = [
        replace(own[0], corner=replace(first, code=second.code)),
        replace(own[1], corner=replace(second, code=first.code)),
        *own[2:],
    ]
    change(season, layout, swapped)
    lap = laps(season)[1]
    assert lap.segments == {**times, first.code: times[second.code], second.code: times[first.code]} and (
        lap.strikes,
        lap.flags,
    ) == (second.code, f"boost traffic:{second.code}")
    last = drafts(season, layout)
    end = last[-1].corner
    added = DraftCorner(None, Corner("New", end.end_m + 1, end.end_m + 2, end.end_m + 3))
    assert change(season, layout, [*last, added]).lost == (end.code, "New")
    assert [item.corner.code for item in drafts(season, layout)][-1] == "New"
    assert laps(season)[1].segments == {code: time for code, time in lap.segments.items() if code != end.code}


def test_boundaries_that_cannot_be_change_nothing(season: Season, layout: UUID) -> None:
    own = drafts(season, layout)
    with pytest.raises(Refused, match="must ascend"):
        change(season, layout, [own[1], own[0]])
    with pytest.raises(NotThere, match="One of these corners"):
        change(season, layout, [replace(own[0], id=layout), *own[1:]])
    with pytest.raises(NotThere, match="One of these corners"):
        change(season, layout, [own[0], replace(own[1], id=own[0].id), *own[2:]])
    version = book.book(season.sessions, season.actor, layout).version
    change(season, layout, own[:-1])
    with pytest.raises(Outdated):
        change(season, layout, own[:-1], version=version)
    assert own[0].id is not None
    book.propose(
        season.sessions,
        season.actor,
        own[0].id,
        {"point": "exit", "kind": "kerb", "thing": "kerb", "variant": "usual", "sure": "firm"},
    )
    with pytest.raises(Conflict, match="hang on these corners"):
        change(season, layout, [])
    assert len(drafts(season, layout)) == len(own) - 1


def test_sectors_get_other_boundaries_too(season: Season, layout: UUID) -> None:
    own = sectors(season, layout)
    times = {sector.code: f"{20 + index}.000" for index, sector in enumerate(own)}
    season.drive("Ysolde Farrand", NOON, [70, sum(float(time) for time in times.values())], **times)
    version = book.book(season.sessions, season.actor, layout).version
    boundaries.change_boundaries(
        season.sessions, season.actor, layout, version, [own[0], *own[2:]], drafts(season, layout)
    )
    lap = laps(season)[1]
    assert lap.sectors and lap.sectors[own[0].code] == 41_000_000 and own[1].code not in lap.sectors
    history.undo(season.sessions, season.actor)
    assert sectors(season, layout) == own and len(laps(season)[1].sectors or {}) == len(own)
    assert combinations.combinations(season.sessions, season.actor)[0].laps == 2


@given(st.lists(st.tuples(st.integers(0, 3), st.integers(-6, 6)), min_size=1, max_size=4))
@settings(deadline=None, max_examples=5, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_any_chain_of_changes_is_taken_back_to_the_first_state(season: Season, moves: list[tuple[int, int]]) -> None:
    """Boundaries moved, merged and renamed in any order: laps, corners and marks come back as they were, step by
    step.
    """
    if not series.weeks(season.sessions, season.actor, season.series_id):
        season.week(1)
        layout = tracks.layouts(season.sessions, season.actor)[0].id
        drive(season, layout, strikes=drafts(season, layout)[1].corner.code)
    layout = tracks.layouts(season.sessions, season.actor)[0].id

    def state() -> object:
        return drafts(season, layout), [(lap.segments, lap.strikes) for lap in laps(season)]

    states = [state()]
    for index, metres in moves:
        own = drafts(season, layout)
        at = index % len(own)
        if metres == 0 and len(own) > 1:
            wanted = [item for item in own if item is not own[at]]
        elif metres < 0:
            wanted = [*own[:at], replace(own[at], corner=replace(own[at].corner, code=f"R{-metres}")), *own[at + 1 :]]
        else:
            moved = replace(own[at].corner, start_m=own[at].corner.start_m + metres / 10)
            wanted = [*own[:at], replace(own[at], corner=moved), *own[at + 1 :]]
        try:
            change(season, layout, wanted)
        except Refused:
            continue  # a code that stands twice
        states.append(state())
    for before in reversed(states[:-1]):
        history.undo(season.sessions, season.actor)
        assert state() == before
