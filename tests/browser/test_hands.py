"""A hand is measured on one take and given to another."""

import json
import re
from pathlib import Path

from playwright.sync_api import Page, expect

from demo.fog_signal import the_keepers_log
from tests.browser.desk import Desk
from tests.files import file_of, phrase

STIFF = [80] * 24


def measure(desk: Desk) -> None:
    desk.open(the_keepers_log(), "log.mid")
    desk.page.get_by_role("button", name="More for part Thumb piano").click()
    desk.page.get_by_role("menuitem", name="Measure how it is played").click()
    expect(desk.page.get_by_text("is a hand now, from 626 notes")).to_be_visible()


def begin(desk: Desk) -> None:
    desk.button("Like a hand").click()


def test_measured_on_one_take_and_given_to_another(desk: Desk) -> None:
    measure(desk)
    desk.open(file_of(phrase(STIFF)))
    begin(desk)
    expect(desk.page.get_by_label("Hand", exact=True)).to_be_visible()
    desk.button("Keep").click()
    desk.expect_strokes("Like Thumb piano")
    desk.quiet()
    played = desk.velocities()
    assert len(set(played)) > 6
    # Opened into what it is made of, one is switched off, and on again.
    desk.page.get_by_role("button", name="What Like Thumb piano").click()
    force = desk.page.get_by_role("switch", name="Force, of Like Thumb piano")
    force.click()
    expect(force).not_to_be_checked()
    desk.quiet()
    assert desk.velocities() == STIFF
    force.click()
    expect(force).to_be_checked()
    desk.quiet()
    assert desk.velocities() == played
    desk.strokes.first.get_by_role("button", name=re.compile("^Like Thumb piano")).click()
    desk.entry("Amount").fill("0")
    desk.entry("Amount").press("Enter")
    desk.quiet()
    assert desk.velocities() == STIFF


def test_a_hand_is_given_on_as_a_file_and_brought(desk: Desk, page: Page, tmp_path: Path) -> None:
    measure(desk)
    desk.open(file_of(phrase(STIFF)))
    begin(desk)
    with page.expect_download() as waiting:
        page.get_by_role("link", name="Give on").click()
    data = json.loads(Path(waiting.value.path()).read_bytes())
    assert data["lull_hand"] == 2
    file = tmp_path / "other.json"
    file.write_text(json.dumps({**data, "name": "Another hand"}))
    page.get_by_test_id("hand").set_input_files(file)
    expect(page.get_by_label("Hand", exact=True).locator("option:checked")).to_have_text("Another hand")
    page.get_by_role("button", name="Let go of it").click()
    expect(page.get_by_role("link", name="Give on")).to_have_count(0)
    file.write_text("{}")
    page.get_by_test_id("hand").set_input_files(file)
    expect(page.get_by_text("This is no hand of Lull's")).to_be_visible()


def test_without_a_hand_it_says_how_to_have_one(desk: Desk) -> None:
    desk.open(file_of(phrase([80] * 5)))
    begin(desk)
    expect(desk.page.get_by_text("There is no hand yet")).to_be_visible()
    desk.page.get_by_role("button", name="More for part").click()
    desk.page.get_by_role("menuitem", name="Measure how it is played").click()
    expect(desk.page.get_by_text("A hand needs 24 notes at least; this part has 5.")).to_be_visible()
