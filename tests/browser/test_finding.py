"""Looking and getting hold: parts, voices, lanes, rules, the list, the way about."""

import re
from typing import Any

import pytest
from playwright.sync_api import Page, Request, Route, expect

from demo.fog_signal import the_keepers_log, the_lamp_room, the_stair
from tests.browser.desk import Desk
from tests.files import NOTE, file_of, phrase

EDGE = file_of([
    *[message.copy(note=60) for message in phrase([60] * 8)],
    NOTE("note_on", note=120, velocity=127),
    NOTE("note_off", note=120, time=480),
])  # fmt: skip


def row_y(desk: Desk, name: str) -> float:
    """The height of a row of the notes, found by hovering over the names at the left."""
    box = desk.box("Notes of")
    for step in range(int(box["height"] / 3)):
        y = box["y"] + 2 + step * 3
        desk.page.mouse.move(box["x"] + 40, y)
        if desk.hint().startswith(name):
            return y + 2
    raise AssertionError(f"no row {name}")


def test_the_loud_note_behind_the_edge(desk: Desk) -> None:
    desk.open(EDGE)
    notes = desk.box("Notes of")
    desk.page.mouse.move(notes["x"] + 400, notes["y"] + notes["height"] / 2)
    for _ in range(12):
        desk.press("Alt+ArrowUp")
    beyond = desk.page.get_by_role("button", name=re.compile("^1 note above, from C9"))
    for _ in range(20):
        if beyond.is_visible() and not desk.page.get_by_role("button", name=re.compile("below")).is_visible():
            break
        desk.press("Shift+PageDown")
        desk.page.wait_for_timeout(50)
    beyond.click()
    expect(beyond).to_be_hidden()
    desk.page.get_by_label("Rule", exact=True).select_option("by velocity")
    desk.entry("From").fill("100")
    desk.entry("To").fill("127")
    expect(desk.page.get_by_test_id("rule")).to_have_text("1 note")
    desk.button("Choose").click()
    expect(desk.page.get_by_test_id("facts")).to_contain_text("1 note")
    desk.press("ArrowDown")
    desk.expect_strokes("Nudge by −1")
    desk.expect_velocities(*[60] * 8, 126)


def test_one_drum_voice_is_chosen_by_its_name_and_shown_alone(desk: Desk) -> None:
    desk.open(the_stair())
    desk.button("Frame drum").click()
    desk.page.mouse.click(desk.box("Notes of")["x"] + 40, row_y(desk, "Snare"))
    expect(desk.page.get_by_test_id("facts")).to_have_text("24 notes")
    # A marquee over the whole lane reaches the snare alone: the others are not there.
    desk.press("Escape")
    expect(desk.page.get_by_test_id("facts")).to_be_hidden()
    desk.page.mouse.click(desk.box("Notes of")["x"] + 40, row_y(desk, "Snare"))
    desk.page.keyboard.down("Shift")
    lane = desk.box("Velocity")
    desk.drag((desk.x_of(1) + 2, lane["y"] + 3), (desk.x_of(9), lane["y"] + lane["height"] - 3))
    desk.page.keyboard.up("Shift")
    expect(desk.page.get_by_test_id("facts")).to_have_text("24 notes")
    desk.press("i")
    expect(desk.page.get_by_test_id("facts")).to_be_hidden()


def test_the_wheel_lane_opens_and_stays_open(desk: Desk) -> None:
    desk.open(the_stair())
    lane = desk.page.locator("[data-lane='cc:1']")
    expect(lane).to_contain_text("821 · 0 to 84")
    lane.get_by_role("button", name="1 Mod wheel").click()
    expect(lane).to_contain_text("CC 1 Mod wheel · 821 · 0 to 84 · 0–127 · no value before the first note")
    box = lane.bounding_box()
    assert box
    assert box["height"] > 100
    lane.get_by_role("separator").focus()
    desk.press("ArrowDown", "ArrowDown")
    lane.get_by_role("button", name="CC 1 Mod wheel: up", exact=True).click()
    desk.quiet()
    desk.reopen()
    first_two = desk.page.locator("[data-lane]")
    expect(first_two.nth(1)).to_have_attribute("data-lane", "cc:1")
    box = lane.bounding_box()
    assert box
    assert box["height"] == pytest.approx(160, abs=1)


def test_the_velocity_lane_stays_as_tall_as_it_was_made(desk: Desk) -> None:
    desk.open(the_lamp_room())
    low = desk.box("Velocity")["height"]
    desk.page.get_by_role("separator", name="Height of the velocity lane").focus()
    desk.press("ArrowUp", "ArrowUp", "ArrowUp")
    desk.quiet()
    tall = desk.box("Velocity")["height"]
    assert tall > low + 10
    desk.reopen()
    assert desk.box("Velocity")["height"] == pytest.approx(tall, abs=1)


def test_an_older_arrangement_never_arrives_last(page: Page, desk: Desk) -> None:
    desk.open(the_lamp_room())
    held: list[Route] = []
    page.route("**/arrangement", lambda route: held.append(route))
    page.get_by_role("separator", name="Height of the velocity lane").focus()
    desk.press("ArrowUp", "ArrowUp")
    desk.until(lambda: held)
    desk.press("ArrowUp", "ArrowUp")
    page.wait_for_timeout(800)
    # The second waits until the first is kept.
    assert len(held) == 1
    held[0].continue_()
    desk.until(lambda: len(held) == 2)
    held[1].continue_()
    desk.quiet()
    tall = desk.box("Velocity")["height"]
    desk.reopen()
    assert desk.box("Velocity")["height"] == pytest.approx(tall, abs=1)


def test_a_lane_says_its_value_under_the_pointer_and_chooses_a_span(desk: Desk) -> None:
    desk.open(the_stair())
    box = desk.page.locator("[data-lane='pressure'] canvas").bounding_box()
    assert box
    desk.page.mouse.move(desk.x_of(2), box["y"] + 20)
    desk.expect_hint("no value yet")
    left, right = desk.x_of(6) + 2, desk.x_of(9) + 2
    desk.drag((left, box["y"] + 20), (right, box["y"] + 20))
    expect(desk.page.get_by_test_id("facts")).to_contain_text("notes")


def test_any_lane_can_be_added_and_favourites_are_offered_in_every_take(desk: Desk) -> None:
    desk.open(the_keepers_log())
    desk.button("Add a lane …").click()
    search = desk.page.get_by_label("Lane by number or name")
    search.fill("soft")
    expect(desk.page.get_by_role("list", name="Lanes found").get_by_role("button")).to_have_text(["CC 67 Soft pedal"])
    search.fill("74")
    search.press("Enter")
    lane = desk.page.locator("[data-lane='cc:74']")
    expect(lane).to_contain_text("no data")
    lane.get_by_role("button", name=re.compile("make it a favourite")).click()
    desk.quiet()
    desk.open(the_lamp_room())
    desk.button("Add a lane …").click()
    expect(desk.page.get_by_role("list", name="Lanes found").get_by_role("button").first).to_have_text("CC 74 Timbre")
    search.fill("nothing like it")
    expect(desk.page.get_by_text("No lane of that number or name.")).to_be_visible()


def test_two_parts_in_front_a_marquee_over_both_and_one_stroke(desk: Desk) -> None:
    desk.open(file_of(phrase([50] * 8, pitch=60), phrase([70] * 8, channel=1, pitch=62)))
    desk.page.get_by_role("button", name="Track 2", exact=True).click(modifiers=["Shift"])
    notes = desk.box("Notes of")
    desk.drag((desk.x_of(1) + 1, notes["y"] + 3), (desk.x_of(2) - 4, notes["y"] + notes["height"] - 3))
    expect(desk.page.get_by_test_id("facts")).to_contain_text("8 notes")
    desk.type("+7")
    desk.expect_strokes("Nudge by +7")
    desk.expect_velocities(57, 57, 57, 57, 50, 50, 50, 50)
    assert desk.velocities(part=1) == [77] * 4 + [70] * 4


def test_a_part_is_renamed_and_dyed_for_good(desk: Desk) -> None:
    desk.open(the_keepers_log())
    desk.button("More for part Reed box").click()
    desk.page.get_by_role("menuitem", name="Rename").click()
    desk.page.get_by_label("Name of the part").fill("Bellows <1>")
    desk.press("Enter")
    desk.button("More for part Bellows <1>").click()
    desk.page.get_by_role("menuitemradio", name="madder").click()
    desk.quiet()
    desk.reopen()
    expect(desk.button("Bellows <1>")).to_be_visible()
    assert desk.api("view")["arrangement"]["parts"]["1"]["dye"] == "madder"


def test_a_rule_tells_its_count_or_that_nothing_fits(desk: Desk) -> None:
    desk.open(the_keepers_log())
    rule = desk.page.get_by_test_id("rule")
    desk.page.get_by_label("Rule", exact=True).select_option("on the beat")
    expect(rule).to_have_text(re.compile(r"^\d+ notes$"))
    desk.page.get_by_label("Rule", exact=True).select_option("by velocity")
    desk.entry("From").fill("126")
    desk.entry("To").fill("127")
    expect(rule).to_have_text("No note fits this rule.")
    expect(desk.button("Choose")).to_be_disabled()
    desk.entry("From").fill("128")
    expect(rule).to_contain_text("low")
    desk.page.get_by_label("Rule", exact=True).select_option("in the span")
    expect(rule).to_contain_text("there is no span")


def test_a_choice_asks_for_its_facts_when_the_hand_has_settled(desk: Desk) -> None:
    desk.open(file_of(phrase([64] * 32)))
    asked: list[str] = []
    desk.page.on("request", lambda request: asked.append(request.url) if "/facts" in request.url else None)
    box = desk.box("Notes")
    left = desk.x_of(1)
    desk.page.mouse.move(left + 2, box["y"] + 6)
    desk.page.mouse.down()
    for step in range(40):
        desk.page.mouse.move(left + 12 * step, box["y"] + box["height"] - 6)
    desk.page.mouse.up()
    expect(desk.page.get_by_test_id("facts")).to_contain_text("notes")
    desk.quiet()
    # Of forty moves: fewer on a quick machine, more on one that has much to do.
    assert 1 <= len(asked) <= 15


def test_the_grid_pulls_spans_and_a_held_key_lets_them_go(desk: Desk) -> None:
    desk.open(file_of(phrase([64] * 32)))
    desk.page.get_by_label("Grid value").select_option("1/8")
    y = desk.box("Ruler")["y"] + 15
    half = (desk.x_of(2, 2) - desk.x_of(2)) / 2
    start = desk.x_of(2)

    spans: list[list[int]] = []

    def watch(request: Request) -> None:
        if "/facts" in request.url and request.post_data_json:
            spans.append(request.post_data_json["where"]["span"])

    desk.page.on("request", watch)

    def asked(act: Any) -> list[int]:
        act()
        desk.quiet()
        return spans[-1]

    drag = lambda: desk.drag((start + half + 3, y), (start + 4 * half - 3, y))  # noqa: E731
    assert asked(drag) == [3840 + 480, 3840 + 4 * 480]
    desk.page.get_by_label("Grid feel").select_option("triplet")
    assert asked(drag)[0] % 320 == 0
    desk.page.keyboard.down("Alt")
    loose = asked(drag)
    desk.page.keyboard.up("Alt")
    assert loose[0] % 320


def test_any_action_is_found_by_what_it_does(desk: Desk) -> None:
    desk.open(the_keepers_log()).press("/")
    search = desk.page.get_by_label("What it does")
    search.fill("middle c3")
    search.press("Enter")
    expect(desk.page.get_by_role("dialog")).to_be_hidden()
    assert row_y(desk, "C5") < row_y(desk, "C4")
    desk.press("/")
    search.fill("make me famous")
    expect(desk.page.get_by_text("Nothing does that, by these words.")).to_be_visible()
    search.fill("lane resonance")
    search.press("Enter")
    expect(desk.page.locator("[data-lane='cc:71']")).to_be_visible()
    desk.press("Escape", "/")
    search.fill("mute reed")
    search.press("Enter")
    expect(desk.page.get_by_role("button", name="Reed box muted")).to_be_visible()
    desk.press("/")
    search.fill("list events")
    search.press("Enter")
    expect(desk.page.get_by_role("region", name="Events")).to_be_visible()


def test_mute_and_solo_silence_parts(page: Page, desk: Desk) -> None:
    page.add_init_script(
        """window.struck = [];
        const post = MessagePort.prototype.postMessage;
        MessagePort.prototype.postMessage = function (order, ...rest) {
            if (order?.kind === "play") {
                for (let i = 0; i < order.parts.length; i++) {
                    if (order.bytes[i * 3] >> 4 === 9 && order.bytes[i * 3 + 2] > 0) window.struck.push(order.parts[i]);
                }
            }
            return post.call(this, order, ...rest);
        };"""
    )
    desk.open(the_keepers_log())

    def heard() -> list[int]:
        page.evaluate("window.struck = []")
        page.keyboard.press("Home")
        page.keyboard.press("Space")
        desk.until(lambda: page.evaluate("window.struck.length > 3"))
        page.keyboard.press("Space")
        return sorted(set(page.evaluate("window.struck")))

    assert heard() == [0, 1]
    desk.button("More for part Thumb piano").click()
    page.get_by_role("menuitemcheckbox", name="Mute").click()
    assert heard() == [1]
    desk.button("More for part Thumb piano").click()
    page.get_by_role("menuitemcheckbox", name="Mute").click()
    desk.button("More for part Thumb piano").click()
    page.get_by_role("menuitemcheckbox", name="Solo").click()
    assert heard() == [0]


def test_small_windows_and_folded_panels_work(desk: Desk) -> None:
    desk.page.set_viewport_size({"width": 1000, "height": 640})
    desk.open(the_stair())
    wide = desk.box("Notes of")["width"]
    desk.press("p")
    expect(desk.page.get_by_role("region", name="Shape")).to_be_hidden()
    assert desk.box("Notes of")["width"] > wide + 200
    assert desk.box("Notes of")["height"] > 60
    assert desk.page.evaluate("document.documentElement.scrollWidth") <= 1000


def test_a_voice_gets_a_name_of_its_own_for_good(desk: Desk) -> None:
    desk.open(the_stair())
    desk.button("Frame drum").click()
    desk.page.mouse.click(desk.box("Notes of")["x"] + 40, row_y(desk, "Hand clap"))
    name = desk.page.get_by_label("Name of the voice")
    name.fill("Slap")
    name.press("Enter")
    desk.quiet()
    desk.reopen()
    desk.button("Frame drum").click()
    assert row_y(desk, "Slap") > 0


def test_a_page_closed_at_once_has_kept_its_last_change(desk: Desk) -> None:
    desk.open(the_keepers_log())
    desk.button("More for part Reed box").click()
    desk.page.get_by_role("menuitem", name="Rename").click()
    desk.page.get_by_label("Name of the part").fill("Bellows")
    desk.press("Enter")
    expect(desk.button("Bellows")).to_be_visible()
    desk.page.goto("/")
    desk.until(lambda: desk.api("view")["arrangement"].get("parts"))
    assert desk.api("view")["arrangement"]["parts"]["1"]["name"] == "Bellows"


def test_a_favourite_has_a_label_in_every_take(desk: Desk) -> None:
    desk.open(the_stair())
    lane = desk.page.locator("[data-lane='cc:1']")
    lane.get_by_role("button").first.click()
    lane.get_by_role("button", name=re.compile("make it a favourite")).click()
    lane.get_by_label("Label of CC 1 Mod wheel").fill("Shimmer")
    lane.get_by_label("Label of CC 1 Mod wheel").press("Enter")
    expect(lane).to_contain_text("Shimmer · 821")
    desk.quiet()
    desk.open(the_lamp_room())
    expect(desk.page.locator("[data-lane='cc:1']").get_by_role("button").first).to_have_text("Shimmer")


def test_a_lane_that_an_undo_takes_away_closes_quietly(desk: Desk, page: Page) -> None:
    desk.open(the_keepers_log())
    token = next(cookie["value"] for cookie in page.context.cookies() if cookie["name"] == "csrftoken")
    nodes = [{"tick": 0, "value": 20}, {"tick": 9600, "value": 90}]
    stroke = {"kind": "lane.nodes", "lane": "cc:74", "where": {"parts": [0]}, "nodes": nodes}
    body = {"revision": 0, "stroke": stroke}
    assert page.request.post(f"/api/takes/{desk.take_id}/strokes", data=body, headers={"X-CSRFToken": token}).ok
    desk.reopen()
    lane = page.locator("[data-lane='cc:74']")
    expect(lane).to_contain_text("2 · 20 to 90")
    lane.get_by_role("button", name="74 Timbre", exact=True).click()
    expect(lane.get_by_role("button", name="74 Timbre", exact=True)).to_have_attribute("aria-expanded", "true")
    desk.button("Undo").click()
    expect(lane).to_contain_text("no data")
    expect(lane.get_by_role("button", name="74 Timbre", exact=True)).to_have_attribute("aria-expanded", "false")


def test_the_selection_fills_the_view_in_time_and_pitch(desk: Desk) -> None:
    desk.open(the_keepers_log())
    notes = desk.box("Notes of")
    desk.drag((desk.x_of(5) + 1, notes["y"] + notes["height"] * 0.55), (desk.x_of(7), notes["y"] + notes["height"] - 2))
    expect(desk.page.get_by_test_id("facts")).to_contain_text("notes")
    desk.press("v")
    desk.page.mouse.move(notes["x"] + 100, desk.box("Ruler")["y"] + 15)
    desk.page.mouse.move(notes["x"] + 110, desk.box("Ruler")["y"] + 15)
    assert re.match(r"[45]:", desk.hint())
    expect(desk.page.get_by_role("button", name=re.compile("above, from"))).to_be_visible()
