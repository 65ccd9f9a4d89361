"""The guide, the places that it shows, and the first walk."""

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.desk import Desk
from tests.browser.test_accessible import violations

PAGES = sorted((Path(__file__).parents[2] / "docs" / "guide").glob("*.md"), key=lambda one: int(one.name.split("-")[0]))
LINK = re.compile(r"\((/show/[^)]+)\)")


def opened(page: Page) -> None:
    expect(page.get_by_role("navigation", name="Parts").get_by_role("button").first).to_be_visible()


def test_ten_pages_each_with_a_picture_and_a_place(page: Page) -> None:
    page.get_by_role("link", name="Guide").click()
    pages = page.get_by_role("navigation", name="Pages of the guide").get_by_role("link")
    expect(pages).to_have_count(len(PAGES))
    assert len(PAGES) == 10
    for row, written in enumerate(PAGES):
        pages.nth(row).click()
        title = written.read_text().splitlines()[0].removeprefix("# ")
        expect(page.get_by_role("heading", level=1, name=title)).to_be_visible()
        picture = page.get_by_role("main").get_by_role("img")
        picture.scroll_into_view_if_needed()
        page.wait_for_function("""() => {
            const picture = document.querySelector("main img");
            return picture.complete && picture.naturalWidth > 800;
        }""")
        assert picture.get_attribute("alt")
        expect(page.get_by_role("link", name=re.compile("^Show me")).first).to_be_visible()


def test_a_place_is_shown_in_a_take_of_ones_own(page: Page) -> None:
    page.goto("/guide/draw-a-controller")
    page.get_by_role("link", name="Show me a recorded wheel").click()
    opened(page)
    expect(page.get_by_role("heading", level=1)).to_have_text("The fog signal: the stair")
    expect(page.locator("[data-lane-acted-on='cc:1']")).to_be_visible()
    expect(page.get_by_role("button", name="Repeat span")).to_be_enabled()
    first = page.url
    page.go_back()
    page.get_by_role("link", name="Show me a recorded wheel").click()
    opened(page)
    # The same one: it is added once.
    assert page.url == first
    page.goto("/")
    expect(page.get_by_role("list", name="Takes").get_by_role("link", name="The fog signal: the stair")).to_have_count(
        1
    )


def test_every_place_is_there(page: Page) -> None:
    for written in PAGES:
        for address in LINK.findall(written.read_text()):
            shown_at(page, address)


def shown_at(page: Page, address: str) -> None:
    """A place that the guide shows is there, with its part and its lane."""
    page.goto(address)
    opened(page)
    asked = dict(re.findall(r"(\w+)=([^&]+)", address))
    if part := asked.get("part"):
        shown = page.get_by_role("navigation", name="Parts").get_by_role("button", name=part.replace("+", " "))
        expect(shown.first).to_have_attribute("aria-pressed", "true")
    if lane := asked.get("lane"):
        expect(page.locator(f"[data-lane-acted-on='{lane}']")).to_be_visible()
        if lane != "velocity":
            expect(page.locator(f"[data-lane='{lane}']").first).to_be_visible()


def test_what_is_not_there_is_told(page: Page) -> None:
    page.goto("/show/the-boathouse")
    expect(page.get_by_role("alert")).to_contain_text("no such take")
    page.goto("/guide/how-to-swim")
    expect(page.get_by_text("There is nothing at this address.")).to_be_visible()
    answer = page.goto("/the/cellar")
    assert answer is not None
    assert answer.status == 404
    expect(page.get_by_text("There is nothing at this address.")).to_be_visible()
    page.get_by_role("link", name="To the library").click()
    expect(page.get_by_role("button", name="Add recordings")).to_be_visible()


def test_the_first_walk_is_taken_and_not_seen_again(page: Page, player: object) -> None:
    page.get_by_role("link", name="Take the walk").click()
    opened(page)
    walk = page.get_by_role("region", name="A walk through the desk")
    expect(walk).to_contain_text("Hear it")
    page.keyboard.press("Space")
    expect(walk).to_contain_text("Choose bars 9 to 12")
    page.keyboard.press("Space")
    desk = Desk(page, player)  # type: ignore[arg-type]
    desk.span(9, 13)
    expect(walk).to_contain_text("Let them build")
    page.get_by_role("button", name="Hairpin", exact=True).click()
    expect(walk).to_contain_text("Keep it")
    for label, value in (("Start", "40"), ("End", "110")):
        desk.entry(label).fill(value)
        desk.entry(label).press("Enter")
    expect(walk).to_contain_text("Before and after")
    desk.button("Before").click()
    expect(walk).to_contain_text("Take it home")
    walk.get_by_role("button", name="Done").click()
    expect(walk).to_have_count(0)
    desk.quiet()
    page.goto("/")
    expect(page.get_by_role("list", name="Takes")).to_be_visible()
    expect(page.get_by_role("link", name="Take the walk")).to_have_count(0)


def test_the_walk_is_turned_down(page: Page) -> None:
    with page.expect_response("**/api/preferences"):
        page.get_by_role("button", name="Not now").click()
    expect(page.get_by_role("link", name="Take the walk")).to_have_count(0)
    page.reload()
    expect(page.get_by_text("Nothing recorded yet")).to_be_visible()
    expect(page.get_by_role("link", name="Take the walk")).to_have_count(0)


def test_the_guide_and_the_walk_are_for_every_eye(page: Page) -> None:
    assert violations(page) == []  # The offer.
    page.goto("/guide/take-it-home")
    expect(page.get_by_role("heading", level=1)).to_be_visible()
    assert violations(page) == []
    page.set_viewport_size({"width": 390, "height": 800})
    assert violations(page) == []
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    page.set_viewport_size({"width": 1280, "height": 800})
    page.goto("/show/the-keepers-log?walk=1")
    opened(page)
    expect(page.get_by_role("region", name="A walk through the desk")).to_be_visible()
    assert violations(page) == []
