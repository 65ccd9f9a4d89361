"""The panel: all that it offers is seen, nothing locks it, nothing that was tried is lost."""

import pytest
from playwright.sync_api import Page, expect

from demo.fog_signal import the_stair
from tests.browser.desk import Desk
from tests.files import file_of, phrase

EIGHT = file_of(phrase([30, 40, 50, 60, 70, 80, 90, 100]))


def in_sight(page: Page, name: str) -> bool:
    """Whether a button is seen whole, and not under something else."""
    button = page.get_by_role("button", name=name, exact=True)
    return bool(
        button.evaluate(
            """one => {
                const box = one.getBoundingClientRect();
                const top = document.elementFromPoint(box.x + box.width / 2, box.y + box.height / 2);
                return box.bottom <= innerHeight && one.contains(top);
            }"""
        )
    )


@pytest.mark.parametrize("lane", ["velocity", "bend", "cc:64", "note:pitch"])
@pytest.mark.parametrize("size", [(1280, 800), (1024, 700)])
def test_all_gestures_of_a_lane_are_in_sight_with_a_stroke_open(
    page: Page, desk: Desk, lane: str, size: tuple[int, int]
) -> None:
    page.set_viewport_size({"width": size[0], "height": size[1]})
    desk.open(the_stair()).press("Control+a", "h", "Enter")
    expect(desk.strokes).to_have_count(1)
    desk.act_on(lane)
    bars = page.get_by_role("region", name="Shape").get_by_role("toolbar")
    expect(bars.first).to_be_visible()
    names = [one.inner_text().strip() for one in bars.get_by_role("button").all()]
    assert len(names) >= 12
    assert [name for name in names if not in_sight(page, name)] == []


def test_four_strokes_of_the_history_are_in_sight_beside_an_open_one(page: Page, desk: Desk) -> None:
    page.set_viewport_size({"width": 1280, "height": 800})
    desk.open(EIGHT).press("Control+a")
    for name in ("Depth", "Vary", "Accents", "Soft knee"):
        desk.button(name).click()
    desk.button("Keep").click()
    expect(desk.strokes).to_have_count(4)
    desk.button("Hairpin").click()
    expect(desk.button("Keep")).to_be_visible()
    history = page.get_by_role("list", name="History").bounding_box()
    assert history
    for row in desk.strokes.all():
        box = row.bounding_box()
        assert box
        assert history["y"] - 1 <= box["y"]
        assert box["y"] + box["height"] <= history["y"] + history["height"] + 1


def test_an_open_stroke_locks_nothing_and_is_kept_by_what_comes_next(desk: Desk) -> None:
    desk.open(EIGHT).press("Control+a")
    desk.button("Depth").click()
    expect(desk.button("Keep")).to_be_visible()
    desk.button("Vary").click()
    desk.expect_strokes("Depth 70%")
    # Another lane, too.
    desk.act_on("cc:1")
    desk.expect_strokes("Depth 70%", "Vary")


def test_what_changes_nothing_is_not_kept_by_what_comes_next(desk: Desk) -> None:
    desk.open(EIGHT).press("Control+a")
    desk.button("Trim part").click()
    expect(desk.page.get_by_text("It changes nothing here.")).to_be_visible()
    desk.button("Depth").click()
    desk.press("Enter")
    desk.expect_strokes("Depth 70%")


def test_undo_takes_back_what_is_tried_and_no_more(desk: Desk, page: Page) -> None:
    desk.open(EIGHT).press("Control+a")
    desk.button("Level out").click()
    desk.press("Enter")
    desk.expect_strokes("Level out")
    desk.button("Vary").click()
    expect(desk.button("Keep")).to_be_visible()
    desk.press("Control+z")
    expect(desk.button("Keep")).to_be_hidden()
    desk.quiet()
    desk.expect_strokes("Level out")
    # And it can be had again.
    page.get_by_role("status").get_by_role("button", name="Bring it back").click()
    expect(desk.button("Keep")).to_be_visible()
    desk.press("Enter")
    desk.expect_strokes("Level out", "Vary")


def test_leaving_for_the_library_keeps_what_is_tried(desk: Desk, page: Page) -> None:
    desk.open(EIGHT).press("Control+a")
    desk.button("Level out").click()
    expect(desk.button("Keep")).to_be_enabled()
    desk.quiet()
    page.get_by_role("link", name="Lull: back to the library").click()
    expect(page.get_by_role("list", name="Takes")).to_be_visible()
    desk.quiet()
    desk.reopen()
    desk.expect_strokes("Level out")


@pytest.mark.parametrize(
    ("word", "key"),
    [("aftertouch", "pressure"), ("damper", "cc:64"), ("cutoff", "cc:74"), ("modulation", "cc:1"), ("74", "cc:74")],
)
def test_a_lane_is_found_by_any_word_of_the_trade(desk: Desk, page: Page, word: str, key: str) -> None:
    desk.open(EIGHT)
    desk.act_on(word)
    expect(page.locator("[data-lane-acted-on]")).to_have_attribute("data-lane-acted-on", key)
    expect(page.locator(f"[data-lane='{key}'] canvas")).to_be_focused()


@pytest.mark.parametrize(
    ("word", "does"),
    [
        ("aftertouch", "Open the lane Channel pressure"),
        ("gate", "Staccato"),
        ("loop", "Repeat the span"),
        ("tempo", "Tempo"),
        ("select all", "Choose all notes"),
        ("help", "All keys"),
        ("glide", "Chords glide"),
        ("ghost", "by rule"),
    ],
)
def test_find_knows_what_people_call_it(desk: Desk, page: Page, word: str, does: str) -> None:
    desk.open(EIGHT).press("/")
    page.get_by_label("What it does").fill(word)
    expect(page.get_by_role("list", name="Actions found")).to_contain_text(does)


def test_trim_acts_on_all_parts_in_front(desk: Desk) -> None:
    desk.open(file_of(phrase([50, 50]), phrase([50, 50], channel=1))).press("a")
    desk.button("Trim part").click()
    desk.entry("Offset").fill("10")
    desk.entry("Offset").press("Enter")
    desk.expect_strokes("Trim")
    assert desk.velocities(0) == desk.velocities(1) == [60, 60]


def test_a_flag_says_and_mends_where_it_stands(desk: Desk, page: Page) -> None:
    from tests.browser.test_lanes import with_wheel

    desk.open(with_wheel([60, 61, 60, 61, 60, 61, 60, 61, 60, 61], gap=48))
    desk.act_on("cc:1")
    flag = page.get_by_test_id("fault").first
    flag.click()
    page.get_by_role("dialog").get_by_role("button", name="Take it away").click()
    expect(desk.strokes).to_have_count(1)


def test_numbers_step_by_tenths_and_are_dragged_by_their_labels(desk: Desk, page: Page) -> None:
    desk.open(EIGHT).press("Control+a")
    desk.button("Vary").click()
    amount = desk.entry("Amount")
    expect(amount).to_have_value("5")
    amount.press("Alt+ArrowUp")
    expect(amount).to_have_value("5.05")
    amount.press("Shift+ArrowUp")
    expect(amount).to_have_value("10.05")
    label = page.get_by_role("region", name="Shape").get_by_text("Amount", exact=True)
    box = label.bounding_box()
    assert box
    x, y = box["x"] + 5, box["y"] + box["height"] / 2
    desk.drag((x, y), (x + 40, y))
    expect(amount).to_have_value("15.05")


def test_tempo_and_metre_are_changed_on_the_ruler(desk: Desk, page: Page) -> None:
    desk.open(EIGHT)
    page.get_by_role("button", name="Tempo and metre: 120, 4/4").click()
    page.get_by_role("menuitem", name="Tempo").click()
    desk.entry("Quarters a minute").fill("60")
    desk.entry("Quarters a minute").press("Enter")
    desk.expect_strokes("Tempo 60")
    expect(page.get_by_role("button", name="Tempo and metre: 60, 4/4")).to_be_visible()
    page.get_by_role("button", name="Tempo and metre").click()
    page.get_by_role("menuitem", name="Metre").click()
    desk.entry("Beats a bar").fill("3")
    desk.entry("Beats a bar").press("Enter")
    desk.expect_strokes("Tempo 60", "Metre 3/4")
    expect(page.get_by_role("button", name="Tempo and metre: 60, 3/4")).to_be_visible()
    desk.press("Control+z", "Control+z")
    expect(page.get_by_role("button", name="Tempo and metre: 120, 4/4")).to_be_visible()


def test_the_marks_do_not_push_the_staves(desk: Desk) -> None:
    desk.open(EIGHT).press("Control+a")
    before = desk.box("Notes of")["y"]
    for name in ("Depth", "Vary", "Accents", "Soft knee", "Level out"):
        desk.button(name).click()
    desk.button("Keep").click()
    expect(desk.strokes).to_have_count(5)
    assert desk.box("Notes of")["y"] == before


def test_a_take_seen_first_gives_its_notes_half_of_the_height(desk: Desk, page: Page) -> None:
    page.set_viewport_size({"width": 1280, "height": 800})
    desk.open(EIGHT)
    stage = page.get_by_role("main").bounding_box()
    assert stage
    assert desk.box("Notes of")["height"] >= stage["height"] / 2 - 40


def test_while_a_metre_is_tried_the_ruler_has_its_bars_and_lets_go_of_them(desk: Desk) -> None:
    page = desk.open(EIGHT).page
    page.get_by_role("button", name="Tempo and metre: 120, 4/4").click()
    page.get_by_role("menuitem", name="Metre").click()
    desk.entry("Beats a bar").fill("3")
    expect(page.get_by_role("button", name="Tempo and metre: 120, 3/4")).to_be_visible()
    # The first leaves the entry, the second lets go of what is tried.
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    expect(page.get_by_role("button", name="Tempo and metre: 120, 4/4")).to_be_visible()
    # Opened, changed and let go of by Undo, it is as it was kept.
    desk.keep({"kind": "take.tempo", "bpm": 90})
    expect(page.get_by_role("button", name="Tempo and metre: 90, 4/4")).to_be_visible()
    desk.strokes.first.get_by_role("button", name="Tempo 90").click()
    desk.entry("Quarters a minute").fill("70")
    expect(page.get_by_role("button", name="Tempo and metre: 70, 4/4")).to_be_visible()
    desk.entry("Quarters a minute").press("Enter")
    desk.expect_strokes("Tempo 70")
    desk.button("Undo").click()
    expect(page.get_by_role("button", name="Tempo and metre: 90, 4/4")).to_be_visible()


def test_the_history_stays_in_sight_beside_the_list_of_events(desk: Desk) -> None:
    desk.page.set_viewport_size({"width": 1280, "height": 800})
    desk.open(EIGHT).keep({"kind": "velocity.set", "value": 50})
    desk.button("Events").click()
    panel, list_ = desk.page.locator("aside").bounding_box(), desk.strokes.first.bounding_box()
    assert panel
    assert list_
    assert list_["y"] + list_["height"] <= panel["y"] + panel["height"] + 1
