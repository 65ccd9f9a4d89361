"""Parts on one channel, what the range cannot hold, edges beside bar lines, and a panel that keeps still."""

from uuid import UUID

import mido
from playwright.sync_api import expect

from expression.strokes import parse_stroke
from studio.services import shaping
from tests.browser.desk import Desk
from tests.files import NOTE, file_of, phrase

EIGHT = file_of(phrase([64] * 32, gap=480))


def control(number: int, value: int, time: int = 0) -> mido.Message:
    return NOTE("control_change", control=number, value=value, time=time)


def test_parts_that_share_a_channel_share_its_lanes_and_the_desk_says_so(desk: Desk) -> None:
    names = [mido.MetaMessage("track_name", name=name) for name in ("Left hand", "Right hand")]
    desk.open(file_of([names[0], control(11, 80), *phrase([64] * 8)], [names[1], *phrase([70] * 8, pitch=72)]))
    parts = desk.api("view")["parts"]
    assert [part["shares"] for part in parts] == [[1], [0]]
    assert parts[0]["lanes"] == parts[1]["lanes"]
    desk.page.get_by_role("button", name="Right hand", exact=True).click()
    desk.act_on("cc:11")
    shared = desk.page.get_by_test_id("shared")
    expect(shared).to_contain_text("Channel 1 is shared with Left hand")
    # Cleared with the one in front, it is gone for the other as well.
    desk.button("Erase").click()
    desk.button("Keep").click()
    desk.expect_strokes("Expression cleared")
    assert [part["lanes"] for part in desk.api("view")["parts"]] == [[], []]


def test_a_bend_beyond_the_range_is_told_where_it_is(desk: Desk) -> None:
    desk.open(EIGHT)
    nodes = [{"tick": 3840, "value": 0}, {"tick": 7680, "value": 7}, {"tick": 9600, "value": 0}]
    stroke = {"kind": "lane.nodes", "lane": "bend", "where": {"parts": [0]}, "nodes": nodes}
    shaping.commit(desk.player, UUID(desk.take_id), 0, parse_stroke(stroke))
    desk.reopen()
    desk.act_on("bend")
    told = desk.page.get_by_test_id("unplayed").filter(has_text="drawn")
    expect(told).to_contain_text("drawn 7.00 semitones away in bar 3, but the range in force there is 2")
    expect(told.get_by_role("button", name="Set the range to 7")).to_be_visible()
    told.get_by_role("button", name="Show it").click()
    expect(desk.page.get_by_test_id("hint")).to_be_visible()


def test_a_hairpin_let_go_beside_a_bar_line_ends_on_it(desk: Desk) -> None:
    desk.open(EIGHT)
    desk.span(5, 9)
    desk.hairpin((desk.x_of(5) + 3, 30), (desk.x_of(9) + 3, 100))
    desk.expect_strokes("Hairpin")
    (stroke,) = desk.api("view")["history"]["strokes"]
    assert stroke["stroke"]["where"]["span"] == [4 * 3840, 8 * 3840]
    assert stroke["mark"]["place"] == "bars 5–8"


def test_facts_that_come_late_move_no_button(desk: Desk) -> None:
    desk.open(EIGHT)
    desk.late("**/facts", 700)
    desk.span(1, 9)
    key = desk.button("Hairpin")
    before = key.bounding_box()
    expect(desk.page.get_by_test_id("facts")).to_have_count(0)
    expect(desk.page.get_by_test_id("facts")).to_contain_text("32 notes")
    assert key.bounding_box() == before
    key.click()
    expect(desk.entry("Start")).to_be_visible()
