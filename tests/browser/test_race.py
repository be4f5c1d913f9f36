"""The race in a real browser: what only people know, the sheet handed out, printed, read by the driver, changed; on
a phone.
"""

import re
from collections.abc import Callable

from playwright.sync_api import Page, expect

Open = Callable[..., Page]
Check = Callable[[Page], None]
PHONE = {"viewport": {"width": 390, "height": 800}, "color_scheme": "dark"}
WHOSE = re.compile("^Ysolde Farrand ?, Port Skerrow, Fishmarket")


def test_a_race_sheet_is_made_printed_read_and_changed(open_page: Open, accessible: Check) -> None:
    page = open_page("/races")
    page.get_by_role("link", name=WHOSE).click()
    tyres = page.get_by_role("region", name="Tyres and stops")
    expect(tyres.get_by_role("listitem").first).to_contain_text("23 laps street", timeout=60_000)
    accessible(page)
    # A set that lasts ten laps makes it two stops.
    page.get_by_label("street: a set lasts, laps").fill("10")
    page.get_by_label("The one thing to remember").fill("Hands quiet over the tram rails.")
    page.get_by_role("button", name="Keep it").press("Enter")
    expect(tyres.get_by_role("listitem").first.locator(".stint")).to_have_text([re.compile(r"^\d+$")] * 3)
    page.get_by_text("Tyre pressures: which cold setting").click()
    for column, value in (("set cold", "160"), ("measured hot", "190"), ("wanted hot", "185")):
        page.get_by_label(f"front left: {column}").fill(value)
    page.get_by_role("button", name="Work it out").click()
    expect(
        page.get_by_role("row", name=re.compile("^front left")).get_by_text(re.compile(r"^15\d\.\d$"))
    ).to_be_visible()
    accessible(page)

    page.get_by_role("link", name="Race sheet", exact=True).click()
    expect(page.get_by_text("Hands quiet over the tram rails.")).to_be_visible()
    page.get_by_role("button", name="Hand it out").click()
    expect(page.get_by_text(re.compile("sheet 1, handed out .*not read yet"))).to_be_visible()
    accessible(page)
    printed = page.request.get(page.get_by_role("link", name="Print (PDF)").evaluate("element => element.href"))
    assert printed.status == 200 and printed.body().startswith(b"%PDF-")
    page.get_by_role("button", name="For the seat").click()
    expect(page.get_by_role("listitem").first).to_have_text("Hands quiet over the tram rails.")
    accessible(page)

    own = open_page("/", who="driver", **PHONE)
    own.get_by_role("link", name=re.compile("^Race sheet of Port Skerrow, Fishmarket")).click()
    own.get_by_role("button", name="I have read it").click()
    expect(own.get_by_text(re.compile("sheet 1, .*; read "))).to_be_visible()
    expect(own.get_by_role("button", name=re.compile("^Hand"))).to_have_count(0)
    assert own.evaluate("document.documentElement.scrollWidth <= window.innerWidth")
    accessible(own)

    page.get_by_role("button", name="Back to the whole sheet").click()
    page.get_by_role("link", name="What it stands on").click()
    page.get_by_label("What to expect of others").fill("Two attack early and fade.")
    page.get_by_role("button", name="Keep it").click()
    expect(page.get_by_role("status").filter(has_text="Kept.")).to_be_visible()
    page.get_by_role("link", name="Race sheet", exact=True).click()
    page.get_by_role("button", name="Hand out the new one").click()
    expect(page.get_by_text(re.compile("sheet 2, handed out"))).to_be_visible()
    own.reload()
    changed = own.get_by_role("region", name="Changed since it was read")
    expect(changed.get_by_role("listitem")).to_have_text(["Two attack early and fade."])
    # Nobody else's race is the driver's business.
    listed = open_page("/races", who="driver")
    expect(listed.get_by_role("link", name=WHOSE)).to_be_visible()
    assert "Corin" not in listed.locator("main").inner_text()
    accessible(listed)
