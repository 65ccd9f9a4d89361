"""A take beside what it was, or beside another: in words, and by ear, also blind."""

from django.contrib.auth.models import User
from playwright.sync_api import Locator, Page, expect

from demo.fog_signal import the_keepers_log, the_watch_room
from studio.services import takes
from tests.browser.desk import Desk
from tests.files import file_of, phrase

LINE = phrase([80] * 8, gap=480)


def opened(desk: Desk) -> Locator:
    desk.press("/")
    desk.page.get_by_label("What it does").fill("compare with what")
    desk.page.keyboard.press("Enter")
    return desk.page.get_by_role("region", name="Compare", exact=True)


def levels(page: Page) -> list[float]:
    """How loud each version is let through."""
    return [round(level, 3) for level in page.evaluate("window.lull.versions()")]


def test_what_a_stroke_changed_is_told_and_gone_to(desk: Desk) -> None:
    desk.open(file_of(LINE))
    desk.keep({"kind": "velocity.set", "value": 100, "where": {"notes": [[2, 3]]}})
    pane = opened(desk)
    told = pane.get_by_role("list", name="What differs").get_by_role("listitem")
    expect(told).to_have_count(2)
    expect(told.first).to_contain_text("by 80, then 100")
    told.first.get_by_role("button").click()
    expect(pane.get_by_role("list", name="Measures that differ")).to_contain_text("No measure")


def test_two_points_of_a_history_are_compared(desk: Desk) -> None:
    desk.open(file_of(LINE))
    desk.keep({"kind": "velocity.set", "value": 100})
    desk.keep({"kind": "velocity.set", "value": 40})
    pane = opened(desk)
    told = pane.get_by_role("list", name="What differs").get_by_role("listitem")
    expect(told.first).to_contain_text("by 80, then 40")
    pane.get_by_label("What is compared").select_option("2")
    expect(told.first).to_contain_text("by 80, then 100")


def test_two_takes_are_compared_note_by_note(desk: Desk, player: User) -> None:
    takes.add(player, "Other.mid", file_of(phrase([80] * 7, gap=480)))
    desk.open(file_of(LINE))
    pane = opened(desk)
    pane.get_by_label("Compare with").select_option("Other")
    expect(pane.get_by_role("list", name="What differs")).to_contain_text("only here, ")


def test_two_versions_are_compared_blind(desk: Desk) -> None:
    desk.open(file_of(LINE))
    desk.keep({"kind": "velocity.set", "value": 30})
    pane = opened(desk)
    pane.get_by_label("Blind: not knowing which is which").check()
    pane.get_by_role("button", name="One", exact=True).click()
    expect(pane.get_by_role("button", name="One", exact=True)).to_have_attribute("aria-pressed", "true")
    expect(pane.get_by_text("As it was", exact=True)).to_have_count(0)
    pane.get_by_role("button", name="Two", exact=True).click()
    # The loud one comes down to the soft one, and only one of them is heard.
    desk.until(lambda: sorted(levels(desk.page))[0] == 0 and max(levels(desk.page)) > 0)
    turned = desk.page.evaluate("window.lull.turnedDown()")
    assert min(turned) < 0.8
    assert max(turned) == 1
    pane.get_by_role("button", name="I choose Two").click()
    expect(pane.get_by_role("status").filter(has_text="You chose: as it ")).to_be_visible()
    expect(pane.get_by_role("button", name="As it was", exact=True)).to_be_visible()
    pane.get_by_role("button", name="Stop").click()


def test_with_nothing_to_compare_it_says_so(desk: Desk) -> None:
    desk.open(file_of(LINE))
    expect(opened(desk).get_by_text("There is nothing to compare it with yet")).to_be_visible()


def test_a_part_is_seen_beside_others_and_no_mark_is_given(desk: Desk, player: User) -> None:
    takes.add(player, "Log.mid", the_keepers_log())
    desk.open(the_watch_room())
    desk.button("Check-up").click()
    played = desk.page.get_by_role("region", name="How Bowed glass is played")
    line = played.get_by_role("listitem").filter(has_text="Range of loudness")
    expect(line).to_contain_text("0 steps; others 0 to")
