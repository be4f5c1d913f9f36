"""Corners that are given up for a later one: judged together with it, in slips, in standing losses and in words."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fleet_rival.bench.trials import Evening, practice
from fleet_rival.core.analysis import analyse
from fleet_rival.core.clinics import DriverClinics, clinics_of
from fleet_rival.core.corners.references import comparable, part_figures
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.marks import judge
from fleet_rival.core.ledger.accounts import ledger_of
from fleet_rival.core.settings import Settings
from fleet_rival.core.track import Corner, Sector, Track
from fleet_rival.wording.clinic import together_words

SEED = 1207
GIVES, OTHER = "Ysolde Farrand", "Corin Tull"
CODES = [f"T{number}" for number in range(1, 8)]


def marked(given_up: dict[str, str | None], linked: frozenset[str] = frozenset()) -> Track:
    corners = tuple(
        Corner(code, at, at + 20, at + 40, linked_to_next=code in linked, given_up_for=given_up.get(code))
        for at, code in enumerate(CODES, 1)
        for at in [at * 100.0]
    )
    return Track("Quernholm", "Short", "street", 900.0, (Sector("S1", 0.0),), corners)


@given(st.dictionaries(st.sampled_from(CODES), st.sampled_from([*CODES, "T99"])), st.frozensets(st.sampled_from(CODES)))
def test_stretches_hold_each_segment_once_and_in_order_and_keep_marked_corners_together(
    given_up: dict[str, str | None], linked: frozenset[str]
) -> None:
    layout = marked(given_up, linked)
    assert [code for stretch in layout.stretches for code in stretch] == ["L0", *CODES]
    home = {code: stretch for stretch in layout.stretches for code in stretch}
    for code, wanted in given_up.items():
        if wanted in CODES[CODES.index(code) + 1 :]:
            assert home[code] == home[wanted]
    for code in linked - given_up.keys() - {CODES[-1]}:
        assert home[code] == home[CODES[CODES.index(code) + 1]]
    if not given_up and not linked:
        assert all(len(stretch) == 1 for stretch in layout.stretches)


def moved(laps: list[Lap], shifts_s: dict[str, float], driver: str | None = None) -> list[Lap]:
    """All laps as somebody drives them who loses and wins this much at these corners."""
    shifts = {code: round(shift * 1e6) for code, shift in shifts_s.items()}
    return [
        replace(
            item,
            driver=driver or item.driver,
            time_us=item.time_us + sum(shifts.values()),
            segments={code: time + shifts.get(code, 0) for code, time in item.segments.items()},
        )
        for item in laps
    ]


def looked_at(track: Track, laps: list[Lap]) -> dict[str, DriverClinics]:
    analysis = analyse(track, laps)
    return clinics_of(track, analysis, {name: {} for name in analysis.drivers})


class TestOnEveryLap:
    @pytest.fixture(scope="class")
    def pair(self) -> tuple[Track, list[Lap]]:
        """Two drivers as quick as each other; one of them gives T6 up and wins more than that back at T7."""
        track, laps = practice(Evening("a pair"), "normal", SEED)
        _, others = practice(Evening("a pair"), "normal", SEED)
        return track, [*moved(laps, {"T6": 0.2, "T7": -0.22}), *moved(others, {}, OTHER)]

    def test_who_gives_a_corner_up_loses_there_until_it_is_marked(self, pair: tuple[Track, list[Lap]]) -> None:
        track, laps = pair
        clinics = looked_at(track, laps)
        giving, other = clinics[GIVES], clinics[OTHER]
        assert [item.corner for item in giving.standing] == ["T6"]
        assert [item.corner for item in other.standing] == ["T7"]
        linked = replace(
            track, corners=tuple(replace(item, linked_to_next=item.code == "T6") for item in track.corners)
        )
        assert not any(item.standing for item in looked_at(linked, laps).values())

    def test_a_pair_that_loses_as_a_whole_is_told_once_with_what_both_cost(self, pair: tuple[Track, list[Lap]]) -> None:
        track, laps = pair
        worse = [*moved([item for item in laps if item.driver != OTHER], {"T6": 0.2}), *laps[len(laps) // 2 :]]
        linked = replace(
            track, corners=tuple(replace(item, linked_to_next=item.code == "T6") for item in track.corners)
        )
        [told] = looked_at(linked, worse)[GIVES].standing
        assert told.corner == "T6" and told.loss_us == pytest.approx(180_000, abs=30_000)


def test_now_and_then_the_account_of_each_lap_still_adds_up() -> None:
    track, laps = practice(Evening("given up", given_up=6, habit=6), "heavy tails", SEED)
    analysis = analyse(track, laps)
    [driver] = analysis.drivers.values()
    clinics = clinics_of(track, analysis, {driver.laps[0].lap.driver: {}})
    clinic = next(iter(clinics.values())).main
    ledger = ledger_of(track, driver.laps, driver.main, clinic)
    assert not isinstance(ledger, str)
    for lap in ledger.laps():
        assert sum(value or 0 for value in lap.accounts.values()) == lap.time_us
    at_once = {(slip.lap, slip.corner) for slip in clinic.slips}
    assert not any((lap, "T7") in at_once for lap, corner in at_once if corner == "T6"), "one of a pair is told"


def test_references_that_others_are_held_against_are_without_what_a_setup_moves() -> None:
    track, laps = practice(Evening("one setup"), "normal", SEED)
    judged = judge(track, laps, Settings())
    members = [index for index, item in enumerate(judged) if item.flying]
    plain = part_figures(track, judged, members, Settings())
    # A third of the laps with less wing, which wins a quarter of a second at T5.
    quick = {index: -250_000.0 for index in members if index % 3 == 0}
    faster = [moved([item], {"T5": -0.25})[0] if index in quick else item for index, item in enumerate(laps)]
    judged = judge(track, faster, Settings())
    parts = part_figures(track, judged, members, Settings())
    as_driven, levelled = (comparable(parts, judged, (), some).parts["T5"] for some in ({}, {"T5": quick}))
    before = comparable(plain, judge(track, laps, Settings())).parts["T5"]
    assert as_driven < before - 150_000
    assert levelled == pytest.approx(before, abs=2_000)


def test_words_name_both_and_what_lies_between() -> None:
    [far, near] = together_words([("T4",), ("T5", "T6", "T7"), ("T8", "T9")], {"T7": "Lantern Steps"})
    assert far.startswith("T5 is given up for T7 Lantern Steps, over T6:")
    assert near.startswith("T8 is given up for T9: they are judged together")
