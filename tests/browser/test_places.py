"""Finding one's way: bars by number, lanes that are folded, hidden or out of sight, actions by their trade words."""

import re

import mido
import pytest
from playwright.sync_api import Page, expect

from expression.midi.read import read
from tests.browser.desk import Desk
from tests.browser.test_lanes import PLAIN, LaneBox, with_wheel
from tests.files import NOTE, file_of, phrase
from tests.lanes import SLOW

BAR = 3840
LONG = file_of(phrase([64] * 80))


def settings() -> bytes:
    """A part whose volume and pan are set once, while its wheel moves in the first bar only."""
    said = [NOTE("control_change", control=number, value=value) for number, value in ((7, 90), (10, 30))]
    wheel = [NOTE("control_change", control=1, value=value, time=240) for value in (10, 60, 20)]
    merged = mido.merge_tracks([mido.MidiTrack([*said, *wheel]), mido.MidiTrack(phrase([64] * 80))])
    return file_of([message for message in merged if not message.is_meta])


def go_to(desk: Desk, words: str) -> None:
    desk.press("j")
    desk.page.get_by_label("Bar, or bars").fill(words)
    desk.page.keyboard.press("Enter")


class TestBarsByNumber:
    def test_a_bar_is_gone_to(self, desk: Desk) -> None:
        desk.open(LONG)
        go_to(desk, "12:3")
        expect(desk.page.get_by_test_id("place")).to_have_text("12:3")

    def test_bars_are_chosen(self, desk: Desk) -> None:
        desk.open(LONG)
        go_to(desk, "3-4")
        expect(desk.page.get_by_test_id("facts")).to_contain_text("8 notes")

    def test_the_place_itself_is_the_way_to_it(self, desk: Desk) -> None:
        desk.open(LONG)
        desk.page.get_by_role("button", name="Go to a bar, or choose bars").click()
        desk.page.keyboard.type("5")
        desk.page.keyboard.press("Enter")
        expect(desk.page.get_by_test_id("place")).to_have_text("5:1")

    def test_a_bar_that_is_not_there_is_told_and_nothing_moves(self, desk: Desk) -> None:
        desk.open(LONG)
        go_to(desk, "99")
        expect(desk.page.get_by_role("alert")).to_have_text("There is no bar 99: the take has bars 1 to 20.")
        desk.page.keyboard.press("Escape")
        expect(desk.page.get_by_test_id("place")).to_have_text("1:1")


class TestLanes:
    def test_what_is_set_once_shares_a_line_and_opens(self, desk: Desk) -> None:
        desk.open(settings())
        once = desk.page.get_by_role("list", name="Set once")
        expect(once.get_by_role("button")).to_have_text(["Volume 90", "Pan 30"])
        expect(desk.page.locator("[data-lane='cc:1'] canvas")).to_be_visible()
        once.get_by_role("button", name="Pan").click()
        expect(desk.page.locator("[data-lane='cc:10'] canvas")).to_be_visible()
        expect(once.get_by_role("button")).to_have_text(["Volume 90"])

    def test_a_lane_is_hidden_for_good_and_comes_back(self, desk: Desk) -> None:
        desk.open(settings())
        lane = desk.page.locator("[data-lane='cc:1']")
        lane.get_by_role("button").first.click()
        lane.get_by_role("button", name="CC 1 Mod wheel: hide").click()
        hidden = desk.page.get_by_role("list", name="Hidden")
        expect(hidden.get_by_role("button")).to_have_text(["Mod wheel"])
        desk.until(lambda: any(one["hidden"] for one in desk.api("view")["arrangement"]["lanes"].get("0", [])))
        desk.reopen()
        hidden.get_by_role("button", name="Mod wheel").click()
        expect(desk.page.locator("[data-lane='cc:1'] canvas")).to_be_visible()
        expect(hidden).to_have_count(0)

    def test_data_out_of_sight_are_told_and_gone_to(self, desk: Desk) -> None:
        desk.open(settings())
        go_to(desk, "15-16")
        for _ in range(8):
            desk.press("v")
        away = desk.page.locator("[data-lane='cc:1']").get_by_role("button", name="Last at")
        expect(away).to_have_text("‹ Last at 1:2")
        away.click()
        expect(away).to_have_count(0)


@pytest.mark.parametrize(
    ("words", "found"),
    [
        ("crescendo", "Hairpin"),
        ("compressor", "Soft knee"),
        ("humanize", "Vary"),
        ("tremolo", "Wave on Mod wheel"),
        ("jitter", "Smooth on Mod wheel"),
        ("measure", "Go to a bar"),
        ("rename", "Rename"),
        ("export", "Download the take"),
    ],
)
def test_actions_are_found_by_the_words_that_players_have(desk: Desk, words: str, found: str) -> None:
    desk.open(with_wheel(SLOW))
    desk.press("Control+a", "/")
    desk.page.get_by_label("What it does").fill(words)
    actions = desk.page.get_by_role("list", name="Actions found").get_by_role("button")
    expect(actions.filter(has_text=re.compile(found)).first).to_be_visible()


def test_a_gesture_found_by_search_is_begun(desk: Desk) -> None:
    desk.open(PLAIN).press("Control+a", "/")
    desk.page.get_by_label("What it does").fill("crescendo")
    desk.page.keyboard.press("Enter")
    expect(desk.page.get_by_role("heading", name=re.compile("Hairpin ?new"))).to_be_visible()
    desk.button("Keep").click()
    desk.quiet()
    assert [one["stroke"]["kind"] for one in desk.api("view")["history"]["strokes"]] == ["velocity.hairpin"]


def test_a_ramp_on_a_lane_is_taken_by_its_ends(desk: Desk) -> None:
    desk.open(with_wheel(SLOW))
    lane = LaneBox(desk, "cc:1")
    desk.button("Ramp").click()
    desk.button("Keep").click()
    desk.quiet()
    x, _ = lane.grip("end")
    desk.drag(lane.grip("end"), (x - 60, lane.y(32)))
    desk.quiet()
    stroke = desk.api("view")["history"]["strokes"][0]["stroke"]
    assert stroke["end"] == pytest.approx(32, abs=1)
    whole = int(read(with_wheel(SLOW)).parts[0].lanes["cc:1"].curve.ticks[-1])
    assert stroke["where"]["span"][1] < whole


def test_a_deleted_take_is_found_again_after_a_reload(page: Page, desk: Desk) -> None:
    desk.open(PLAIN, "Fog.mid")
    page.goto("/")
    page.get_by_role("button", name="More for Fog").click()
    page.get_by_role("menuitem", name="Delete").click()
    expect(page.get_by_role("status").or_(page.get_by_role("alert")).first).to_contain_text("30 days")
    page.reload()
    page.locator("summary").click()
    page.get_by_role("list", name="Deleted takes").get_by_role("button", name="Bring back").click()
    expect(page.get_by_role("link", name="Fog")).to_be_visible()
    expect(page.get_by_role("list", name="Deleted takes")).to_have_count(0)
