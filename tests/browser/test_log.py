"""What was learned, in a real browser: proposed by a driver, confirmed by the coach, back on the next visit."""

from collections.abc import Callable

from playwright.sync_api import Page, expect

Open = Callable[..., Page]
Check = Callable[[Page], None]
PHONE = {"viewport": {"width": 390, "height": 800}, "color_scheme": "dark"}
WORDS = "The bollard at the scales marks the braking when the board is hidden"


def test_a_lesson_is_proposed_confirmed_and_comes_back(open_page: Open, accessible: Check) -> None:
    own = open_page("/log", who="driver", **PHONE)
    own.get_by_label("In one sentence").fill(WORDS)
    write = own.get_by_role("form", name="Write down what was learned")
    write.get_by_label("Track").select_option("Port Skerrow, Fishmarket")
    write.get_by_label("Corner").fill("T1")
    own.get_by_role("button", name="Propose it").click()
    mine = own.get_by_role("listitem").filter(has_text=WORDS)
    expect(mine).to_contain_text("proposed by Ysolde Farrand")
    assert own.evaluate("document.documentElement.scrollWidth <= window.innerWidth")
    accessible(own)

    coach = open_page("/log", who="coach")
    search = coach.get_by_role("search", name="Lessons")
    search.get_by_label("Words").fill("bollard board")
    found = coach.get_by_role("listitem").filter(has_text=WORDS)
    expect(coach.get_by_role("listitem")).to_have_count(1)
    accessible(coach)
    found.get_by_role("button", name="Confirm").press("Enter")
    expect(found).not_to_contain_text("proposed")
    search.get_by_label("Words").fill("nothing of the kind")
    expect(coach.get_by_text("Nothing that was learned says that.")).to_be_visible()

    # The next visit to that track.
    board = open_page("/")
    board.get_by_role("columnheader").get_by_role("link", name="Port Skerrow, Fishmarket").click()
    back = board.get_by_role("region", name="Learned before")
    expect(back.get_by_role("listitem").filter(has_text=WORDS)).to_be_visible()
    accessible(board)
    expect(own.get_by_role("listitem").filter(has_text=WORDS)).not_to_contain_text("proposed")
    expect(mine.get_by_role("button")).to_have_count(0)
