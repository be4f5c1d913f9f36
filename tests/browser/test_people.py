"""Who comes in sees what is theirs, and nothing else; two people at one thing."""

import json
import re
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect
from sqlalchemy import delete

from fleet_rival.clock import now
from fleet_rival.core.season.weeks import SeriesWeek
from fleet_rival.db.tables import Person
from fleet_rival.runtime.trial import remove_team
from fleet_rival.services.drive import files, importing
from fleet_rival.services.people.team import make_team, team_link
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track import tracks
from fleet_rival.services.week import combinations, entries, profiles, series
from tests.browser.conftest import Desk, demo_row, open_demo, open_search, told
from tests.conftest import DATA

Open = Callable[..., Page]
Check = Callable[[Page], None]


def menu(page: Page) -> list[str]:
    page.locator(".person").click()
    links = page.get_by_role("navigation", name="Your own pages").locator("b")
    expect(links.first).to_be_visible()
    shown = links.all_inner_texts()
    page.keyboard.press("Escape")
    expect(links.first).to_be_hidden()
    return shown


def test_the_focus_is_given_once_and_never_taken_from_who_types(open_page: Open) -> None:
    page = open_page("/sign-in", who=None)
    expect(page.get_by_label("Name")).to_be_focused()
    # Who was faster than the page, as a busy machine has it.
    page.add_init_script("""new MutationObserver((_, own) => {
        const field = document.querySelector('input[type=password]')
        if (field) { own.disconnect(); field.focus() }
    }).observe(document, { childList: true, subtree: true })""")
    page.reload()
    expect(page.get_by_label("Password")).to_be_focused()
    page.keyboard.type("quartz kettle meadow", delay=20)
    expect(page.get_by_label("Password")).to_have_value("quartz kettle meadow")
    expect(page.get_by_label("Name")).to_have_value("")


@pytest.mark.parametrize("role", ["manager", "coach", "driver"])
def test_each_role_signs_in_and_sees_only_what_is_theirs(
    open_page: Open, accessible: Check, desk: Desk, role: str
) -> None:
    account = desk.accounts[role]
    page = open_page("/history", who=None)
    expect(page.get_by_role("heading", name="Sign in")).to_be_visible()
    accessible(page)
    page.get_by_label("Name").fill(account.sign_in_name.upper())
    page.get_by_label("Password").fill("not the password")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("The name or the password isn't right")
    page.get_by_label("Password").fill(account.password or "")
    page.keyboard.press("Enter")
    # On to where they were going.
    expect(page.get_by_role("heading", name="History")).to_be_visible()
    expect(page.locator(".person")).to_contain_text(f"{role}, Farhaven Racing")
    others = page.get_by_role("button", name=re.compile("^(Wrote a reference|Imported)"))
    expect(others).to_have_count(0) if role == "driver" else expect(others.first).to_be_visible()
    assert ("People" in menu(page)) is (role != "driver")
    page.get_by_role("link", name="Fleet Rival").click()
    expect(demo_row(page)).to_contain_text("75" if role == "driver" else "600")
    expect(page.get_by_role("link", name="New combination")).to_have_count(0 if role == "driver" else 1)
    open_demo(page)
    expect(page.get_by_role("table").first.locator("tbody tr")).to_have_count(1 if role == "driver" else 8)
    if role == "driver":
        assert "Corin Ashgrove" not in page.locator("main").inner_text()
        page.goto(f"{desk.whole.address}/people")
        expect(page.get_by_role("heading", name="Nothing here")).to_be_visible()
    if role == "coach":
        page.goto(f"{desk.whole.address}/people")
        expect(page.get_by_role("heading", name="Drivers")).to_be_visible()
        expect(page.get_by_role("heading", name="In the team")).to_have_count(0)
    page.locator(".person").click()
    page.get_by_text("Sign out").click()
    expect(page.get_by_role("heading", name="Sign in")).to_be_visible()
    page.goto(f"{desk.whole.address}/jobs")
    expect(page.get_by_role("heading", name="Sign in")).to_be_visible()


def test_an_invitation_lets_one_person_in_once_and_a_removed_one_is_out_at_once(
    open_page: Open, accessible: Check
) -> None:
    page = open_page("/people")
    page.get_by_role("textbox", name="Name", exact=True).fill("Brannoc Tull")
    page.get_by_label("Which driver", exact=True).select_option("Brannoc Tull")
    page.get_by_role("button", name="Make a link").click()
    told(page, "Link for Brannoc Tull")
    link = page.get_by_text("/welcome#").inner_text()
    accessible(page)
    guest = open_page("/", who=None)
    guest.goto(link)
    expect(guest.get_by_text("You are invited to Farhaven Racing as driver")).to_be_visible()
    accessible(guest)
    guest.get_by_label("Name to sign in with").fill("brannoc")
    guest.get_by_label("Password").fill("brannoc-tull-1")
    guest.get_by_role("button", name="Come in").click()
    expect(guest.get_by_role("alert").filter(has_text="easy to guess")).to_be_visible()
    guest.get_by_label("Password").fill("quartz kettle meadow")
    guest.get_by_role("button", name="Come in").click()
    expect(guest.get_by_role("heading", name="My week")).to_be_visible()
    open_demo(guest)
    expect(guest.get_by_role("table").first.locator("tbody tr")).to_have_count(1)
    expect(guest.get_by_role("row", name="Brannoc Tull")).to_be_visible()
    late = open_page("/", who=None)
    late.goto(link)
    expect(late.get_by_role("alert")).to_contain_text("This link can't be used")
    # The manager's page shows the newcomer by itself, and lets them go.
    expect(page.get_by_role("row", name="Brannoc Tull")).to_contain_text("brannoc")
    page.get_by_role("button", name="Remove Brannoc Tull").click()
    page.get_by_role("dialog").get_by_role("button", name="Remove Brannoc Tull").click()
    expect(page.get_by_role("row", name="Brannoc Tull")).to_have_count(0)
    guest.reload()
    expect(guest.get_by_role("heading", name="Sign in")).to_be_visible()


def test_two_browsers_edit_the_same_thing_and_neither_writes_over_the_other(
    open_page: Open, accessible: Check, desk: Desk
) -> None:
    path = desk.lay_out("Disputed Truck")
    one, other = open_page(path), open_page(path, who="coach")
    for page in (one, other):
        page.get_by_role("button", name="Note and settings").click()
        expect(page.get_by_role("textbox", name="Note")).to_be_visible()
    one.get_by_role("textbox", name="Note").fill("Cold until lap three")
    one.get_by_role("button", name="Keep").click()
    expect(one.get_by_role("dialog")).to_be_hidden()
    # The other page shows it behind the dialog, and leaves alone what is being typed.
    expect(other.get_by_text("Cold until lap three")).to_be_attached()
    other.get_by_role("textbox", name="Note").fill("Warm at once")
    other.get_by_role("button", name="Keep").click()
    conflict = other.get_by_role("alert")
    expect(conflict).to_contain_text("Somebody else changed this meanwhile. Theirs: note “Cold until lap three”")
    accessible(other)
    other.get_by_role("button", name="Write mine over it").click()
    expect(other.get_by_role("dialog")).to_be_hidden()
    expect(one.get_by_text("Warm at once")).to_be_visible()
    # Taking the first one back would write over the second: told, and left as it is.
    one.get_by_role("button", name="Take back the last step").click()
    expect(one.get_by_role("alert")).to_contain_text(re.compile("changed since.*Idrik Fenwold"))
    expect(one.get_by_text("Warm at once")).to_be_visible()


def test_one_person_goes_from_team_to_team(open_page: Open, accessible: Check, desk: Desk) -> None:
    token = team_link(desk.whole.sessions, "Quarry Works")
    page = open_page(f"/welcome#{token}", who="coach")
    expect(page.get_by_text("You are invited to Quarry Works as manager")).to_be_visible()
    accessible(page)
    page.get_by_role("button", name="Join as Idrik Fenwold").click()
    expect(page.get_by_role("heading", name="Nothing is on in this week")).to_be_visible()
    accessible(page)
    expect(page.locator(".person")).to_contain_text("manager, Quarry Works")
    page.goto(f"{desk.whole.address}/people")
    page.get_by_label("Role of Idrik Fenwold").select_option("driver")
    expect(page.get_by_role("alert")).to_contain_text("A team needs a manager")
    expect(page.get_by_label("Role of Idrik Fenwold")).to_have_value("manager")
    page.locator(".person").click()
    page.get_by_role("button", name="Go to Farhaven Racing").click()
    expect(demo_row(page)).to_be_visible()
    expect(page.locator(".person")).to_contain_text("coach, Farhaven Racing")


def test_signing_out_everywhere_ends_the_other_browser(open_page: Open, accessible: Check) -> None:
    one, other = open_page("/account", who="coach"), open_page("/", who="coach")
    expect(demo_row(other)).to_be_visible()
    expect(one.get_by_text("(here)")).to_be_visible()
    accessible(one)
    one.get_by_role("button", name="Sign out everywhere, here too").click()
    expect(one.get_by_role("heading", name="Sign in")).to_be_visible()
    other.get_by_role("link", name="Port Skerrow, Fishmarket").first.click()
    expect(other.get_by_role("heading", name="Sign in")).to_be_visible()


def test_the_servers_log_has_a_line_for_each_request_and_nothing_about_a_person(open_page: Open, desk: Desk) -> None:
    page = open_page("/people")
    expect(page.get_by_role("heading", name="In the team")).to_be_visible()
    with page.expect_response("**/api/search?q=ysolde") as answer:
        open_search(page)
        page.keyboard.type("ysolde")
    number = answer.value.headers["x-request-id"]
    lines = (desk.whole.folder / "server.log").read_text(encoding="utf-8").splitlines()
    requests = [json.loads(line) for line in lines if line.startswith("{") and '"event": "request"' in line]
    line = next(item for item in requests if item["request_id"] == number)
    assert (line["rule"], line["method"], line["status"]) == ("/api/search", "GET", 200) and line["ms"] > 0
    told_of = [line for line in lines if re.search("ysolde|maren|farhaven|fleet_rival_sign_in", line, re.IGNORECASE)]
    assert not told_of


def a_small_team(desk: Desk) -> Actor:
    """A team of its own with a week that runs, a driver who is entered, and laps."""
    sessions = desk.whole.sessions
    manager = make_team(sessions, "Twin Harbours", "Orla Pennick")
    layout = tracks.add_track(sessions, manager, next((DATA / "oval-102").glob("*.track.json")).read_bytes())
    made = combinations.add_combination(sessions, manager, layout.id, "Cinder Kart")
    laps = "driver,session,run,lap,time\n" + "".join(
        f"Wim Sattler,1,1,{number},31.{100 + 37 * number % 200}\n" for number in range(1, 31)
    )
    file_id = files.upload(sessions, manager, made.id, "x.laps.csv", laps.encode())
    importing.confirm(sessions, manager, file_id, importing.Wishes(made.revision))
    today = now().date()
    own = series.add_series(sessions, manager, "Twin Cup")
    facts = SeriesWeek(
        *(
            "Twin Cup",
            1,
            "UTC",
            today - timedelta(days=2),
            today + timedelta(days=5),
            ("Cinder Kart",),
            layout.track,
            layout.layout,
        ),
        race_laps=20,
    )
    key = series.add_week(sessions, manager, own.id, facts).id
    entries.enter(sessions, manager, [key], [item.id for item in profiles.profiles(sessions, manager)], "must")
    return manager


def wipe(desk: Desk, team: Actor) -> None:
    """The team is gone, and its manager is nobody here any more."""
    remove_team(desk.whole.sessions, team.team_id)
    with desk.whole.sessions.begin() as session:
        session.execute(delete(Person).where(Person.id == team.person_id))


def board_of(page: Page) -> str:
    """What the board says of whom, in its table."""
    row = page.get_by_role("row").filter(has=page.get_by_role("rowheader", name=re.compile("Wim Sattler")))
    expect(row).to_contain_text("31.1", timeout=60_000)
    return re.sub(r"\s+", " ", row.inner_text())


def test_a_team_is_taken_along_wiped_and_brought_back(
    open_page: Open, accessible: Check, desk: Desk, tmp_path: Path
) -> None:
    manager = a_small_team(desk)
    page = open_page("/", who=manager)
    before = board_of(page)
    page.goto(f"{desk.whole.address}/people")
    data = page.get_by_role("region", name="The team’s data")
    accessible(page)
    data.get_by_role("button", name="Make a package").click()
    made = data.get_by_role("list", name="Packages").get_by_role("link")
    expect(made).to_have_text(re.compile("^twin-harbours-.*zip$"), timeout=60_000)
    accessible(page)
    with page.expect_download() as coming:
        made.click()
    package = tmp_path / coming.value.suggested_filename
    coming.value.save_as(package)
    assert package.name.startswith("twin-harbours-")
    with page.expect_download() as listed:
        data.get_by_role("link", name="XLSX of laps", exact=True).click()
    assert listed.value.suggested_filename == "laps.xlsx"
    page.close()

    wipe(desk, manager)
    other = make_team(desk.whole.sessions, "Elsewhere", "Tove Ransby")
    page = open_page("/people", who=other)
    data = page.get_by_role("region", name="The team’s data")
    data.locator("input[type=file]").set_input_files(package)
    expect(data.get_by_role("status").filter(has_text="Twin Harbours came in with")).to_be_visible(timeout=60_000)
    data.get_by_role("button", name="Make their ways in").click()
    # Whoever wasn't known here gets a way in, shown once.
    expect(data.get_by_text(re.compile("Orla Pennick, manager: orla-pennick with "))).to_be_visible()
    accessible(page)
    data.get_by_role("button", name="Go to Twin Harbours").click()
    assert board_of(page) == before
    page.goto(f"{desk.whole.address}/people")
    page.get_by_role("region", name="The team’s data").locator("input[type=file]").set_input_files(package)
    expect(page.get_by_role("alert")).to_contain_text("is here already", timeout=60_000)


def test_who_leaves_takes_their_data_along_and_leaves_no_name(open_page: Open, accessible: Check, desk: Desk) -> None:
    manager = a_small_team(desk)
    page = open_page("/people", who=manager)
    drivers = page.get_by_role("region", name="Drivers")
    with page.expect_download() as coming:
        drivers.get_by_role("link", name="Own data of Wim Sattler").click()
    assert coming.value.suggested_filename == "own-data.package.zip"
    drivers.get_by_role("button", name="Let go Wim Sattler").click()
    expect(drivers.get_by_role("alert")).to_contain_text("This can’t be taken back")
    accessible(page)
    drivers.get_by_role("button", name="Let Wim Sattler go").click()
    expect(drivers.get_by_text("Former driver 1").first).to_be_visible()
    expect(page.get_by_text("Wim Sattler")).to_have_count(0)
    wipe(desk, manager)
