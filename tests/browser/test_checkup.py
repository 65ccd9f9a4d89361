"""The check-up: what is broken and what sounds programmed, gone to and mended."""

from playwright.sync_api import Page, expect

from demo.fog_signal import the_keepers_log, the_watch_room
from tests.browser.desk import Desk


def opened(desk: Desk, data: bytes) -> Page:
    page = desk.open(data, "take.mid").page
    desk.button("Check-up").click()
    expect(page.get_by_role("region", name="Check-up").get_by_role("status")).to_contain_text("stiff spots")
    return page


def test_a_stiff_take_is_made_better_by_its_mends(desk: Desk) -> None:
    page = opened(desk, the_watch_room())
    found = page.get_by_role("list", name="What was found").get_by_role("listitem")
    equal = found.filter(has_text="Every note is equally hard").first
    expect(equal).to_contain_text("stiff")
    before = desk.velocities()
    equal.get_by_role("button", name="Phrase arch").click()
    expect(page.get_by_role("region", name="Shape").get_by_role("heading", name="Phrase arch")).to_be_visible()
    desk.button("Keep").click()
    desk.expect_strokes("Phrase arch 1")
    desk.quiet()
    assert desk.velocities() != before
    # It is not told any longer of that part.
    count = found.filter(has_text="Every note is equally hard")
    expect(count).to_have_count(2)


def test_a_mend_is_applied_where_it_is_or_everywhere(desk: Desk) -> None:
    page = opened(desk, the_keepers_log())
    row = page.get_by_role("listitem").filter(has_text="Every note is equally hard in bars 9 to 13.")
    before = desk.velocities()
    row.get_by_role("button", name="Metre").click()
    desk.button("Keep").click()
    desk.quiet()
    here = sum(one != other for one, other in zip(before, desk.velocities(), strict=True))
    desk.button("Undo").click()
    desk.quiet()
    page.get_by_label("Mend it everywhere in the part").check()
    row.get_by_role("button", name="Metre").click()
    desk.button("Keep").click()
    desk.quiet()
    everywhere = sum(one != other for one, other in zip(before, desk.velocities(), strict=True))
    assert 0 < here < everywhere / 3


def test_what_is_broken_is_told_too_and_gone_to(desk: Desk) -> None:
    page = opened(desk, the_keepers_log())
    found = page.get_by_role("list", name="What was found").get_by_role("listitem")
    expect(found.filter(has_text="broken").first).to_be_visible()
    expect(page.get_by_role("region", name="The cable")).to_contain_text("of 3,125 bytes a second")
    flat = found.filter(has_text="Every note is equally hard in bars 9 to 13.")
    flat.get_by_role("button", name="Every note is equally hard").click()
    expect(page.get_by_test_id("facts")).to_contain_text("notes")
    desk.press("/")
    page.get_by_label("What it does").fill("robotic")
    expect(page.get_by_role("list", name="Actions found").get_by_text("Check-up")).to_be_visible()
    page.keyboard.press("Escape")
    page.get_by_role("region", name="Check-up").get_by_role("button", name="Close").click()
    expect(page.get_by_role("region", name="Check-up")).to_have_count(0)
