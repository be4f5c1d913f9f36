"""What people typed survives the end of a session, Esc, a reload, Back and a link; what can't be loaded or answered
is said.
"""

import re
from collections.abc import Callable

from playwright.sync_api import Dialog, Page, Response, Route, expect

from tests.browser.conftest import Desk, turn_to

AWAY = (
    '{"type": "urn:fleet-rival:away", "detail": "The database can\'t be reached at the moment. Nothing was changed."}'
)
TEXT = "the left front goes off after twelve laps"


def somewhere(page: Page) -> None:
    page.locator("form[aria-labelledby=write-title]").get_by_label("Track").select_option(
        label="Port Skerrow, Fishmarket"
    )


def typed(open_page: Callable[..., Page]) -> Page:
    page = open_page("/log/learned")
    page.get_by_label("In one sentence").fill(TEXT)
    return page


def test_a_draft_outlives_reload_back_and_link_until_it_is_thrown_away_or_saved(
    open_page: Callable[..., Page], accessible: Callable[[Page], None]
) -> None:
    page = typed(open_page)
    somewhere(page)
    page.reload()
    field = page.get_by_label("In one sentence")
    expect(field).to_have_value(TEXT)
    # What can be chosen comes later than the form.
    place = page.locator("form[aria-labelledby=write-title]").get_by_label("Track").locator("option:checked")
    expect(place).to_have_text("Port Skerrow, Fishmarket")
    note = page.get_by_role("status").filter(has_text="it isn’t saved yet")
    expect(note).to_be_visible()
    accessible(page)
    page.get_by_role("link", name="Races behind").first.click()
    expect(page.get_by_role("heading", name="Races behind")).to_be_visible()
    page.go_back()
    expect(field).to_have_value(TEXT)
    page.get_by_role("button", name="Throw it away").click()
    expect(field).to_have_value("")
    expect(place).to_have_text("any")
    expect(note).to_have_count(0)
    page.reload()
    expect(field).to_have_value("")
    field.fill(TEXT)
    somewhere(page)
    # What is read again after it may take its time: what is saved is saved.
    page.route("**/api/lessons*", lambda route: route.continue_() if route.request.method == "POST" else None)
    with page.expect_response(lambda answer: answer.request.method == "POST" and answer.ok):
        page.get_by_role("button", name="Write it down").click()
    page.wait_for_function("!Object.keys(localStorage).some(key => key.endsWith(' lesson'))")
    page.unroute("**/api/lessons*")
    page.reload()
    expect(page.get_by_role("listitem").filter(has_text=TEXT)).to_be_visible()
    expect(field).to_have_value("")
    again = "the right front lasts to the end"
    field.fill(again)
    somewhere(page)
    page.get_by_role("button", name="Write it down").click()
    expect(page.get_by_role("listitem").filter(has_text=again)).to_be_visible()
    expect(field).to_have_value("")


def test_a_session_that_ended_says_so_and_one_is_back_with_the_text(open_page: Callable[..., Page], desk: Desk) -> None:
    page = typed(open_page)
    page.context.clear_cookies()
    page.get_by_role("button", name="Write it down").click()
    expect(page.get_by_role("status").filter(has_text="Your session has ended")).to_be_visible()
    account = desk.accounts["manager"]
    page.get_by_label("Name").fill(account.sign_in_name)
    page.get_by_label("Password").fill(account.password)
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_label("In one sentence")).to_have_value(TEXT)
    assert page.url.endswith("/log/learned")


def test_who_signs_in_again_finds_an_open_dialog_as_it_was_and_somebody_else_does_not(
    open_page: Callable[..., Page], accessible: Callable[[Page], None], desk: Desk
) -> None:
    page = open_page(desk.lay_out("Open Car"))
    page.get_by_role("button", name="Target", exact=True).click()
    dialog = page.get_by_role("dialog", name="Target and benchmark")
    field = page.get_by_label("Target time")
    field.fill("20.700")

    def end() -> None:
        page.context.clear_cookies()
        refused: list[str] = []

        def read_was_given_up(answer: Response) -> bool:
            if (
                answer.status == 401
                and answer.request.method == "GET"
                and re.search(r"/api/combinations/[^/]+$", answer.url)
            ):
                refused.append(answer.url)
            return len(refused) == 2

        with page.expect_response(read_was_given_up):
            dialog.get_by_role("button", name="Keep").click()
        expect(page.get_by_role("status").filter(has_text="Your session has ended")).to_be_visible()

    def come_in(role: str) -> None:
        account = desk.accounts[role]
        page.get_by_label("Name", exact=True).fill(account.sign_in_name)
        page.get_by_label("Password", exact=True).fill(account.password or "")
        page.get_by_role("button", name="Sign in").click()

    end()
    accessible(page, "document.querySelector('[aria-label=\"Sign in again\"]')")
    # What is read again may take its time; nobody is told to send it once more.
    page.route("**/api/combinations/*", lambda route: None)
    come_in("manager")
    expect(field).to_have_value("20.700")
    expect(page.get_by_label("Password")).to_have_count(0)
    expect(dialog.get_by_role("alert")).to_contain_text("nothing was changed. Send it once more.")
    page.unroute("**/api/combinations/*")
    end()
    come_in("driver")
    expect(page.get_by_role("heading", name="Where you stand")).to_be_visible()
    expect(dialog).to_have_count(0)


def test_what_was_typed_for_one_combination_is_not_offered_for_another(
    open_page: Callable[..., Page], desk: Desk
) -> None:
    first, second = desk.lay_out("One Car"), desk.lay_out("Other Car")
    page = open_page(first)
    page.get_by_role("button", name="Target", exact=True).click()
    field = page.get_by_label("Target time")
    field.fill("20.700")
    page.get_by_role("dialog").get_by_role("button", name="Leave it").click()
    page.goto(page.url.replace(first, second))
    page.get_by_role("button", name="Target", exact=True).click()
    expect(field).to_have_value("")
    page.goto(page.url.replace(second, first))
    page.get_by_role("button", name="Target", exact=True).click()
    expect(field).to_have_value("20.700")


def test_a_form_that_refuses_to_send_keeps_its_draft_whatever_else_is_saved(open_page: Callable[..., Page]) -> None:
    page = typed(open_page)
    page.get_by_label("In one sentence").press("Escape")
    page.get_by_role("button", name="Write it down").click()
    expect(page.get_by_role("alert").filter(has_text="Say where it holds")).to_be_visible()
    page.get_by_role("button", name="Confirm").first.click()
    expect(page.get_by_role("button", name="Confirm")).to_have_count(0)
    page.reload()
    expect(page.get_by_label("In one sentence")).to_have_value(TEXT)


def test_esc_asks_where_something_was_typed(open_page: Callable[..., Page]) -> None:
    page = open_page("/")
    asked: list[str] = []
    answers: list[bool] = [False, True]

    def answer(dialog: Dialog) -> None:
        asked.append(dialog.message)
        if answers.pop(0):
            dialog.accept()
        else:
            dialog.dismiss()

    page.on("dialog", answer)
    page.goto(page.url + "seasons")
    page.get_by_role("button", name="Add a week").first.click()
    dialog = page.get_by_role("dialog")
    field = dialog.get_by_role("textbox").first
    page.keyboard.press("Escape")
    expect(dialog).to_have_count(0)
    assert not asked, "nothing was typed"
    page.get_by_role("button", name="Add a week").first.click()
    field.fill("7")
    page.keyboard.press("Escape")
    expect(field).to_have_value("7")
    page.keyboard.press("Escape")
    expect(dialog).to_have_count(0)
    assert len(asked) == 2


def test_a_server_without_its_database_is_said_and_the_text_is_sent_once_it_is_back(
    open_page: Callable[..., Page], accessible: Callable[[Page], None]
) -> None:
    page = open_page("/log/learned")
    page.get_by_label("In one sentence").fill("sent while nothing answered")
    somewhere(page)
    away = {"now": True}

    def meanwhile(route: Route) -> None:
        if away["now"]:
            route.fulfill(status=503, headers={"Retry-After": "3"}, content_type="application/problem+json", body=AWAY)
        else:
            route.continue_()

    page.route("**/api/**", meanwhile)
    page.get_by_role("button", name="Write it down").click()
    told = page.get_by_role("alert").filter(has_text="What you typed stays here")
    expect(told).to_be_visible()
    expect(page.get_by_label("In one sentence")).to_have_value("sent while nothing answered")
    accessible(page)
    away["now"] = False
    expect(told).to_have_count(0)
    expect(page.get_by_role("listitem").filter(has_text="sent while nothing answered").first).to_be_visible()
    expect(page.get_by_label("In one sentence")).to_have_value("")


def test_a_part_that_is_gone_is_said_and_loads_the_page_anew(
    open_page: Callable[..., Page], accessible: Callable[[Page], None]
) -> None:
    page = open_page("/log/learned")
    expect(page.get_by_role("heading", name="Learned", exact=True)).to_be_visible()
    page.route("**/assets/CarsView*", lambda route: route.abort())
    with page.expect_event("load"):
        turn_to(page, "/cars")
    # It was loaded anew by itself, once; what is gone is still gone.
    told = page.get_by_role("alert").filter(has_text="couldn’t be loaded")
    expect(told).to_be_visible()
    accessible(page)
    page.unroute("**/assets/CarsView*")
    told.get_by_role("button", name="Load the page anew").click()
    expect(page.get_by_role("heading", name="Cars", exact=True)).to_be_visible()


def test_room_is_told_where_files_are_added(open_page: Callable[..., Page], desk: Desk) -> None:
    page = open_page(f"{desk.lay_out('Room Car')}/add-laps")
    expect(page.get_by_text("Your files use")).to_be_visible()
