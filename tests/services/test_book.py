"""The track book: proposed by anybody, confirmed by those who lead, carried from car to car, asked and answered,
taken back.
"""

from concurrent.futures import ThreadPoolExecutor
from io import BytesIO
from typing import Any
from uuid import UUID

import pytest
from PIL import Image
from sqlalchemy import select

from fleet_rival.db.tables import BookPicture, Combination, Driver, ReferenceRow
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.pictures import remade
from fleet_rival.services.people.team import add_person, make_team
from fleet_rival.services.shared import history
from fleet_rival.services.shared.base import Actor, begin_change
from fleet_rival.services.shared.errors import Conflict, NotThere, Outdated, Refused
from fleet_rival.services.track import book, layouts, tracks
from fleet_rival.services.week import combinations, series
from tests.services.conftest import NOON, TRACK, Season

BOARD = {"point": "braking", "kind": "board", "thing": "second board", "variant": "usual", "sure": "likely"}


@pytest.fixture
def layout(season: Season) -> UUID:
    return tracks.layouts(season.sessions, season.actor)[0].id


@pytest.fixture
def driver(season: Season) -> Actor:
    with season.sessions() as session:
        key = session.scalars(select(Driver.id).where(Driver.name == "Ysolde Farrand")).one()
    return add_person(season.sessions, season.actor, "Ysolde Farrand", "driver", key)


def seen(season: Season, layout: UUID, car: UUID | None = None, actor: Actor | None = None) -> Any:
    return book.book(season.sessions, actor or season.actor, layout, car)


def corner(season: Season, layout: UUID, code: str = "T1") -> Any:
    return next(item for item in seen(season, layout).corners if item.code == code)


def propose(
    season: Season, layout: UUID, code: str = "T1", actor: Actor | None = None, confirmed: bool = False, **values: Any
) -> UUID:
    where = corner(season, layout, code).id
    return book.propose(season.sessions, actor or season.actor, where, {**BOARD, **values}, confirmed=confirmed)


def states(season: Season) -> list[tuple[str, str]]:
    with season.sessions() as session:
        return [(row.thing, row.state) for row in session.scalars(select(ReferenceRow).order_by(ReferenceRow.id))]


def cars(season: Season) -> dict[str, UUID]:
    """Two cars that are driven here."""
    season.week(1, cars=("Truck A", "Truck B"))
    place = tracks.layouts(season.sessions, season.actor)[0].id
    return {item.name: item.id for item in seen(season, place).cars}


def test_one_of_several_candidates_is_confirmed_and_the_one_before_is_kept(
    season: Season, layout: UUID, driver: Actor
) -> None:
    first = propose(season, layout, confirmed=True)
    second = propose(season, layout, actor=driver, thing="oak", kind="tree")
    assert states(season) == [("second board", "confirmed"), ("oak", "proposed")]
    shown = {item.thing: item for item in seen(season, layout, actor=driver).references}
    assert (shown["oak"].proposed_by, shown["oak"].mine, shown["second board"].mine) == ("Ysolde Farrand", True, False)
    book.confirm(season.sessions, season.actor, second)
    assert states(season) == [("second board", "replaced"), ("oak", "confirmed")]
    assert {item.id: item.shown for item in seen(season, layout).references} == {first: "earlier", second: "standing"}
    with pytest.raises(Conflict, match="confirmed already"):
        book.confirm(season.sessions, season.actor, second)
    history.undo(season.sessions, season.actor)
    assert states(season) == [("second board", "confirmed"), ("oak", "proposed")]
    history.redo(season.sessions, season.actor)
    assert states(season) == [("second board", "replaced"), ("oak", "confirmed")]


def test_two_who_confirm_at_once_leave_one_confirmed(season: Season, layout: UUID) -> None:
    candidates = [propose(season, layout, thing=f"tree {number}") for number in range(4)]
    with ThreadPoolExecutor(4) as pool:
        list(pool.map(lambda key: book.confirm(season.sessions, season.actor, key), candidates))
    assert sorted(state for _, state in states(season)) == ["confirmed", "replaced", "replaced", "replaced"]


def test_a_driver_writes_own_proposals_and_nothing_that_stands(season: Season, layout: UUID, driver: Actor) -> None:
    theirs, own = propose(season, layout), propose(season, layout, actor=driver, thing="oak")
    with pytest.raises(Conflict, match="no longer only a proposal of yours"):
        book.change_reference(season.sessions, driver, theirs, 1, BOARD)
    book.change_reference(season.sessions, driver, own, 1, {**BOARD, "thing": "young oak"})
    with pytest.raises(Outdated):
        book.change_reference(season.sessions, driver, own, 1, BOARD)
    book.confirm(season.sessions, season.actor, own)
    for act in (
        lambda: book.remove_reference(season.sessions, driver, own),
        lambda: book.put_picture(season.sessions, driver, own, picture()),
    ):
        with pytest.raises(Conflict, match="no longer only a proposal"):
            act()
    colleague = season.drivers["Corin Ashgrove"]
    with pytest.raises(Refused, match="for that driver to write"):
        propose(season, layout, actor=driver, driver_id=colleague)
    assert propose(season, layout, actor=driver, driver_id=season.drivers["Ysolde Farrand"], thing="my tree")
    assert seen(season, layout).references[-1].driver == "Ysolde Farrand"


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"gear": 2}, "belong to a car"),
        ({"thing": "  "}, "say what one goes by"),
        ({"harder_than": "T99"}, "name another corner"),
        ({"harder_than": "T1"}, "name another corner"),
    ],
)
def test_a_reference_that_cannot_be_is_refused(
    season: Season, layout: UUID, values: dict[str, Any], words: str
) -> None:
    with pytest.raises(Refused, match=words):
        propose(season, layout, **values)
    assert states(season) == []


def test_declined_ones_are_kept_and_what_was_changed_may_replace_another(season: Season, layout: UUID) -> None:
    first = propose(season, layout, confirmed=True)
    second = propose(season, layout, confirmed=True, point="apex", thing="kerb end")
    book.decline(season.sessions, season.actor, first)
    with pytest.raises(Conflict, match="doesn't stand"):
        book.decline(season.sessions, season.actor, first)
    third = propose(season, layout, confirmed=True, thing="oak")
    version = next(item.version for item in seen(season, layout).references if item.id == second)
    book.change_reference(season.sessions, season.actor, second, version, {**BOARD, "thing": "kerb end"})
    assert states(season) == [("second board", "declined"), ("kerb end", "confirmed"), ("oak", "replaced")]
    book.remove_reference(season.sessions, season.actor, third)
    history.undo(season.sessions, season.actor)
    assert states(season)[-1] == ("oak", "replaced")


def test_another_car_sees_landmarks_and_carries_the_numbers_over(season: Season, layout: UUID) -> None:
    own = cars(season)
    propose(season, layout, confirmed=True)
    numbers = propose(season, layout, confirmed=True, point="apex", thing="", gear=2, car_id=own["Truck A"])
    first, second = seen(season, layout, own["Truck A"]), seen(season, layout, own["Truck B"])
    assert [(item.point, item.shown, item.from_car) for item in first.references] == [
        ("braking", "standing", None),
        ("apex", "standing", None),
    ]
    assert [(item.point, item.shown, item.from_car) for item in second.references] == [
        ("braking", "standing", None),
        ("apex", "carried", "Truck A"),
    ]
    book.carry_over(season.sessions, season.actor, numbers, own["Truck B"])
    second = seen(season, layout, own["Truck B"])
    assert [(item.gear, item.shown, item.state) for item in second.references if item.point == "apex"] == [
        (2, "standing", "confirmed")
    ]
    with pytest.raises(Refused, match="another car's numbers"):
        book.carry_over(season.sessions, season.actor, numbers, own["Truck A"])
    landmark = first.references[0].id
    with pytest.raises(Refused, match="every car's"):
        book.carry_over(season.sessions, season.actor, landmark, own["Truck B"])


def test_the_book_opens_with_the_car_of_the_week_that_runs_here(season: Season, layout: UUID) -> None:
    assert seen(season, layout).car_id is None
    combinations.add_combination(season.sessions, season.actor, layout, "Truck Z")
    assert next(item.name for item in seen(season, layout).cars if item.id == seen(season, layout).car_id) == "Truck Z"
    cars(season)
    view = seen(season, layout)
    assert next(item.name for item in view.cars if item.id == view.car_id) == "Truck A"
    assert [item.name for item in view.cars] == ["Truck A", "Truck B", "Truck Z"]


def test_checks_shrink_as_the_book_is_filled(season: Season, layout: UUID) -> None:
    season.week(1, limits_rule="2031-2")
    before = seen(season, layout)
    assert before.rules == "2031-2" and before.checks[0].kind == "pit-exit"
    codes = [item.code for item in before.corners]
    assert len(before.checks) == 1 + 2 * len(codes)
    one = before.corners[0]
    limits = [{"where": "exit", "part": "all four wheels", "cost": "strike", "rules": "2031-1"}]
    book.change_corner(season.sessions, season.actor, one.id, one.version, {"limits": limits})
    own = [item for item in seen(season, layout).checks if item.corner_id == one.id]
    assert [item.kind for item in own] == ["no-braking", "limits-old"]
    assert own[1].words == "The limits were read by the rules “2031-1”; the week has “2031-2”."
    propose(season, layout, codes[0], confirmed=True, kind="shadow", thing="shadow of the gantry")
    weak = next(item for item in seen(season, layout).checks if item.corner_id == one.id and item.kind != "limits-old")
    assert (weak.kind, weak.words) == ("weak-braking", "What one brakes by may be gone: it moves with the time of day.")
    values = {
        "track": before.track,
        "layout": before.layout,
        "kind": before.kind,
        "pit": None,
        "pit_entry_note": "",
        "pit_exit_note": "Stay left.",
    }
    layouts.change_layout(season.sessions, season.actor, layout, before.version, values)
    assert "pit-exit" not in {item.kind for item in seen(season, layout).checks}


def test_importance_follows_the_laps_and_can_be_said_otherwise(season: Season, layout: UUID) -> None:
    season.week(1)
    codes = [item.code for item in seen(season, layout).corners]
    view = seen(season, layout)
    assert all(
        "At full throttle" in item.importance.words or "straight into" in item.importance.words for item in view.corners
    )
    times = {code: f"{5 + index:.3f}" for index, code in enumerate(["L0", *codes])}
    season.drive("Ysolde Farrand", NOON, [70, sum(float(time) for time in times.values())], **times)
    view = seen(season, layout)
    told = [item.importance for item in view.corners if "straight into" not in item.importance.words]
    assert told and all(item.words.startswith("About ") for item in told)
    last = max(view.corners, key=lambda item: item.importance.rank)
    book.change_corner(season.sessions, season.actor, last.id, last.version, {"importance": "high"})
    again = next(item.importance for item in seen(season, layout).corners if item.id == last.id)
    assert (again.level, again.derived, again.said) == ("high", last.importance.derived, "high")
    assert again.words.startswith(f"By hand; derived {again.derived}.")


def test_a_corner_is_given_up_for_the_next_one_in_ideals_too(season: Season, layout: UUID) -> None:
    season.week(1)
    first, second, third = seen(season, layout).corners[:3]

    def revision() -> int:
        with season.sessions() as session:
            return session.scalars(select(Combination.revision)).one()

    before = revision()
    book.change_corner(season.sessions, season.actor, first.id, first.version, {"given_up_for": third.code})
    assert corner(season, layout, first.code).given_up_for == third.code
    now = corner(season, layout, first.code)
    book.change_corner(season.sessions, season.actor, first.id, now.version, {"given_up_for": second.code})
    assert corner(season, layout, first.code).given_up_for == second.code and revision() > before
    with season.sessions() as session:
        row = session.scalars(select(tracks.Layout)).one()
        assert tracks.load_track(session, row).corners[0].linked_to_next
    for code in (first.code, "T99"):
        with pytest.raises(Refused, match="name another corner"):
            book.change_corner(
                season.sessions,
                season.actor,
                first.id,
                corner(season, layout, first.code).version,
                {"given_up_for": code},
            )
    with pytest.raises(Outdated):
        book.change_corner(season.sessions, season.actor, first.id, 1, {"note": "x"})


def test_every_text_of_a_corner_has_a_history_and_comes_back(season: Season, layout: UUID) -> None:
    one = corner(season, layout)
    for note in ("Bumpy.", "Bumpy since the repair."):
        book.change_corner(season.sessions, season.actor, one.id, corner(season, layout).version, {"note": note})
    entries = history.history(season.sessions, season.actor, ("layout_corner", one.id)).items
    assert [item.action for item in entries] == ["corner.change", "corner.change", "track.add"]
    _, changes = history.entry(season.sessions, season.actor, entries[0].id)
    assert changes[0].before == {"note": "Bumpy."} and changes[0].after == {"note": "Bumpy since the repair."}
    history.undo(season.sessions, season.actor, entries[0].id)
    assert corner(season, layout).note == "Bumpy."


def test_a_question_is_asked_answered_and_becomes_a_note_or_a_reference(
    season: Season, layout: UUID, driver: Actor
) -> None:
    one = corner(season, layout)
    asked = book.ask(season.sessions, driver, layout, one.id, "What do you brake by?")
    with pytest.raises(Refused, match="Only the answer"):
        book.close_question(season.sessions, season.actor, asked, 1, "note")
    book.answer_question(season.sessions, season.actor, asked, 1, "the end of the hoarding")
    with pytest.raises(Outdated):
        book.answer_question(season.sessions, driver, asked, 1, "no idea")
    with pytest.raises(Conflict, match="nobody has answered"):
        book.remove_question(season.sessions, driver, asked)
    book.close_question(season.sessions, season.actor, asked, 2, "reference", {**BOARD, "thing": ""})
    assert states(season) == [("the end of the hoarding", "proposed")]
    (shown,) = seen(season, layout).questions
    assert (shown.became, shown.asked_by, shown.answered_by) == ("reference", "Ysolde Farrand", "Maren Holloway")
    with pytest.raises(Conflict, match="closed"):
        book.answer_question(season.sessions, season.actor, asked, shown.version, "later")
    with pytest.raises(Conflict, match="closed already"):
        book.close_question(season.sessions, season.actor, asked, shown.version, None)
    history.undo(season.sessions, season.actor)
    assert states(season) == [] and seen(season, layout).questions[0].closed_at is None
    book.close_question(season.sessions, season.actor, asked, seen(season, layout).questions[0].version, "note")
    assert corner(season, layout).note == "the end of the hoarding"
    general = book.ask(season.sessions, driver, layout, None, "Is the pit limit 60 or 80?")
    with pytest.raises(Refused, match="empty"):
        book.ask(season.sessions, driver, layout, None, "  ")
    book.remove_question(season.sessions, driver, general)
    assert len(seen(season, layout).questions) == 1


def picture(size: tuple[int, int] = (400, 300), kind: str = "PNG", **options: Any) -> bytes:
    out = BytesIO()
    Image.new("RGBA" if kind == "PNG" else "RGB", size, "teal").save(out, kind, **options)
    return out.getvalue()


def test_a_picture_is_made_anew_without_what_else_the_file_holds(season: Season, layout: UUID) -> None:
    exif = Image.Exif()
    exif[0x010E] = "taken at a secret place"
    exif[0x0112] = 6  # to be turned by a quarter
    sent = picture((3000, 1000), "JPEG", exif=exif)
    assert b"secret place" in sent
    reference = propose(season, layout)
    book.put_picture(season.sessions, season.actor, reference, sent)
    (shown,) = seen(season, layout).references
    kept = book.picture(season.sessions, season.actor, shown.picture_id)
    assert b"secret" not in kept
    with Image.open(BytesIO(kept)) as made:
        assert (made.format, made.size, len(made.getexif())) == ("JPEG", (533, 1600), 0)
    stranger = make_team(season.sessions, "Elsewhere", "Somebody Else")
    with pytest.raises(NotThere):
        book.picture(season.sessions, stranger, shown.picture_id)
    book.remove_picture(season.sessions, season.actor, reference)
    assert seen(season, layout).references[0].picture_id is None
    history.undo(season.sessions, season.actor)
    assert seen(season, layout).references[0].picture_id == shown.picture_id


@pytest.mark.parametrize(
    "content",
    [b"", b"not a picture", picture()[:60], b"GIF89a" + bytes(100), b"<svg xmlns='http://www.w3.org/2000/svg'/>"],
)
def test_what_is_no_picture_is_refused(season: Season, layout: UUID, content: bytes) -> None:
    reference = propose(season, layout)
    with pytest.raises(Refused, match="isn't a picture"):
        book.put_picture(season.sessions, season.actor, reference, content)
    with season.sessions() as session:
        assert session.scalars(select(BookPicture)).all() == []


def test_a_picture_too_large_is_refused_before_it_is_unpacked() -> None:
    with pytest.raises(UnusableFile, match="8 MB at most"):
        remade(bytes(8_000_001))
    with pytest.raises(UnusableFile, match="40 million pixels"):
        remade(picture((9000, 5000)))
    _, width, height = remade(picture((20, 10)))
    assert (width, height) == (20, 10)


def test_the_reading_card_speaks_to_one_driver_in_the_drivers_units(
    season: Season, layout: UUID, driver: Actor
) -> None:
    own = cars(season)
    propose(season, layout, confirmed=True, offset_m=91.44, side="left")
    propose(season, layout, confirmed=True, point="apex", thing="", gear=2, car_id=own["Truck A"])
    one = corner(season, layout)
    name = " ".join(filter(None, (one.code, one.name)))
    words = (
        "Brake 91 m after the second board on the left. Apex: 2nd gear. Give it up for "
        f"{corner(season, layout, 'T2').code}."
    )
    made = book.reading_card(season.sessions, season.actor, layout, own["Truck A"], None, "usual")
    assert made["lines"][0]["words"] == words and f"{name}: {words}\n" in made["text"]
    assert made["lines"][-1]["words"] == "Nothing written yet."
    assert made["text"].startswith(f"{season.track}, {season.layout}, Truck A\n\n")
    with season.sessions.begin() as session:
        row = session.scalars(select(Driver).where(Driver.name == "Ysolde Farrand")).one()
        begin_change(session, season.actor, "profile.change", "Changed a profile", row)
        row.units = {"speed": "mph"}
    propose(
        season, layout, actor=driver, driver_id=season.drivers["Ysolde Farrand"], variant="wet", thing="third board"
    )
    own_card = book.reading_card(
        season.sessions, driver, layout, own["Truck A"], season.drivers["Ysolde Farrand"], "usual"
    )
    assert own_card["lines"][0]["words"].startswith("Brake 100 yd after the second board")
    wet = book.reading_card(season.sessions, driver, layout, own["Truck A"], season.drivers["Ysolde Farrand"], "wet")
    assert wet["lines"][0]["words"].startswith("Brake at the third board.") and wet["title"].endswith(
        "Ysolde Farrand, in the wet"
    )


def test_another_team_reaches_nothing_of_the_book(season: Season, layout: UUID) -> None:
    reference, asked = propose(season, layout), book.ask(season.sessions, season.actor, layout, None, "Why?")
    stranger = make_team(season.sessions, "Elsewhere", "Somebody Else")
    one = corner(season, layout)
    acts: list[Any] = [
        lambda: book.book(season.sessions, stranger, layout),
        lambda: book.change_corner(season.sessions, stranger, one.id, 1, {"note": "x"}),
        lambda: book.propose(season.sessions, stranger, one.id, BOARD),
        lambda: book.confirm(season.sessions, stranger, reference),
        lambda: book.ask(season.sessions, stranger, layout, None, "x"),
        lambda: book.answer_question(season.sessions, stranger, asked, 1, "x"),
        lambda: layouts.export(season.sessions, stranger, layout),
        lambda: layouts.derive(season.sessions, stranger, layout, "reversed", "x"),
    ]
    for act in acts:
        with pytest.raises(NotThere):
            act()
    other = tracks.add_track(season.sessions, season.actor, TRACK.replace(season.layout.encode(), b"Other"))
    with pytest.raises(Refused, match="another layout"):
        book.ask(season.sessions, season.actor, other.id, one.id, "x")
    assert series.series(season.sessions, stranger) == []
