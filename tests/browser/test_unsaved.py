"""What is not written yet is not lost: across a reload, an end of the session, a second press."""

import pytest
from playwright.sync_api import Browser, Page, Route, expect

from tests.browser.desk import Desk
from tests.files import file_of, phrase

EIGHT = file_of(phrase([64] * 8))


def levelled(desk: Desk) -> None:
    desk.open(EIGHT).press("Control+a")
    desk.button("Level out").click()
    desk.button("Keep").click()


def held_up(page: Page) -> list[Route]:
    """The first stroke that is sent is held on its way."""
    held: list[Route] = []

    def hold(route: Route) -> None:
        if held:
            route.continue_()
        else:
            held.append(route)

    page.route("**/strokes", hold)
    return held


def test_what_is_being_saved_says_so_and_outlives_a_reload(desk: Desk) -> None:
    page = desk.page
    desk.open(EIGHT).press("Control+a")
    held = held_up(page)
    warned: list[str] = []
    page.on("dialog", lambda dialog: warned.append(dialog.type))
    desk.press("ArrowUp")
    expect(page.get_by_text("Saving …")).to_be_visible()
    desk.until(lambda: held)
    desk.reopen()
    assert warned == ["beforeunload"]
    expect(page.get_by_text("What was not saved when the page was left is here again.")).to_be_visible()
    desk.expect_strokes("Nudge")
    desk.expect_velocities(*[65] * 8)
    expect(page.get_by_text("Saving …")).to_have_count(0)


def test_what_was_written_after_all_is_not_kept_twice(desk: Desk) -> None:
    page = desk.page
    desk.open(EIGHT).press("Control+a")
    held = held_up(page)
    desk.press("ArrowUp")
    desk.until(lambda: held)
    # It arrives, but its answer comes to a page that is gone.
    held[0].fetch()
    desk.reopen()
    desk.expect_velocities(*[65] * 8)
    desk.quiet()
    desk.expect_strokes("Nudge")


def test_an_open_stroke_is_open_again_after_a_reload(desk: Desk) -> None:
    desk.open(EIGHT).press("Control+a")
    desk.button("Hairpin").click()
    desk.entry("Start").fill("33")
    desk.quiet()
    desk.reopen()
    expect(desk.entry("Start")).to_have_value("33")
    desk.button("Keep").click()
    desk.expect_strokes("Hairpin")


def test_when_the_session_has_ended_the_stroke_waits_behind_the_sign_in(desk: Desk) -> None:
    page = desk.page
    desk.open(EIGHT).press("Control+a")
    desk.button("Hairpin").click()
    desk.entry("Start").fill("33")
    desk.quiet()
    page.context.clear_cookies(name="sessionid")
    desk.button("Keep").click()
    expect(page.get_by_role("alert")).to_contain_text("You were signed out")
    page.get_by_label("Name").fill("anna")
    page.get_by_label("Password").fill("a long enough one")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("navigation", name="Parts")).to_be_visible()
    desk.expect_strokes("Hairpin 33")


@pytest.mark.parametrize("by", ["pointer", "key"])
def test_keep_pressed_twice_keeps(desk: Desk, by: str) -> None:
    """Where Keep was there lies nothing that could harm."""
    desk.open(EIGHT).press("Control+a")
    desk.button("Hairpin").click()
    keep = desk.button("Keep")
    box = keep.bounding_box()
    assert box
    middle = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    if by == "pointer":
        desk.page.mouse.click(*middle)
        desk.expect_strokes("Hairpin")
        expect(desk.button("Done")).to_be_visible()
        desk.page.mouse.click(*middle)
    else:
        keep.focus()
        desk.page.keyboard.press("Enter")
        desk.expect_strokes("Hairpin")
        expect(desk.button("Done")).to_be_focused()
        desk.page.keyboard.press("Enter")
    expect(desk.button("Done")).to_have_count(0)
    desk.quiet()
    desk.expect_strokes("Hairpin")


@pytest.mark.parametrize("height", [800, 620])
def test_undo_and_the_newest_stroke_are_in_sight_whatever_is_open(desk: Desk, height: int) -> None:
    page = desk.page
    page.set_viewport_size({"width": 1280, "height": height})
    levelled(desk)
    for _ in range(12):
        desk.press("ArrowUp")
    desk.quiet()
    desk.press("Escape", "Control+a")
    for name in ("Hairpin", "Vary"):
        desk.button(name).click()
        desk.button("Keep").click()
        desk.quiet()
        for seen in (desk.button("Undo"), desk.button("Redo"), page.locator("li[data-newest]")):
            expect(seen).to_be_in_viewport(ratio=0.95)
        desk.press("Escape")


def test_two_tabs_offer_only_what_is_not_kept(desk: Desk, browser: Browser) -> None:
    """A stroke that was kept is not offered again when another tab has changed the take."""
    page = desk.page
    levelled(desk)
    desk.expect_strokes("Level")
    other = page.context.new_page()
    other.goto(page.url)
    expect(other.get_by_role("list", name="History").get_by_role("listitem")).to_have_count(1)
    other.get_by_role("button", name="Undo").click()
    expect(other.get_by_role("button", name="Redo")).to_be_enabled()
    # Here the stroke is still open as it was kept: undo is what meets the change.
    desk.button("Undo").click()
    expect(page.get_by_text("changed elsewhere").last).to_be_visible()
    expect(desk.button("Keep it all the same")).to_have_count(0)
