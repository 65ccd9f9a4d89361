"""All events as rows: found, typed over, put in and taken out."""

import re

from playwright.sync_api import expect

from demo.fog_signal import the_keepers_log, the_stair
from tests.browser.desk import Desk
from tests.files import file_of, phrase


class TestEventList:
    def test_a_value_typed_in_the_list_is_a_stroke(self, desk: Desk) -> None:
        desk.open(file_of(phrase([64, 65, 66]))).press("e")
        cell = desk.page.get_by_label("Velocity of C♯4 at 1:2")
        cell.fill("99")
        cell.press("Enter")
        desk.expect_strokes("Set to 99")
        desk.expect_velocities(64, 99, 66)
        expect(cell).to_have_value("99")
        # The hand stays where it was; what cannot be is told in words of music, and goes back.
        expect(cell).to_be_focused()
        desk.page.keyboard.type("300")
        cell.press("Enter")
        expect(desk.page.get_by_test_id("event-count")).to_have_text("Velocity must be 1 to 127, not 300.")
        expect(cell).to_have_value("99")
        expect(cell).to_be_focused()
        desk.page.keyboard.type("98")
        desk.page.keyboard.press("Tab")
        desk.expect_velocities(64, 98, 66)
        for head in ("Place", "Part", "Kind", "Note or number", "Value", "Quarters"):
            expect(desk.page.get_by_role("columnheader", name=head, exact=True)).to_be_visible()

    def test_place_pitch_and_length_are_typed_there_and_a_row_is_deleted(self, desk: Desk) -> None:
        desk.open(file_of(phrase([64, 65, 66]))).press("e")
        events = desk.page.get_by_role("region", name="Events")

        def typed(label: str, words: str) -> None:
            events.get_by_label(label).fill(words)
            events.get_by_label(label).press("Enter")
            desk.quiet()

        typed("Note C♯4 at 1:2", "eb4")
        typed("Place of E♭4, in bar, beat and ticks", "2:3.100")
        typed("Length of E♭4 at 2:3, in quarters", "1.5")
        part = desk.api("view")["parts"][0]
        assert sorted(part["pitch"]) == [60, 62, 63]
        row = part["pitch"].index(63)
        assert sum(part["start"][: row + 1]) == 2 * 3840 - 1920 + 100
        assert part["length"][row] == 1440
        typed("Note E♭4 at 2:3", "h9")
        expect(desk.page.get_by_test_id("event-count")).to_contain_text("A note is a name from")
        typed("Place of E♭4, in bar, beat and ticks", "soon")
        expect(desk.page.get_by_test_id("event-count")).to_contain_text("A place is bar:beat.ticks")
        events.get_by_label("Delete E♭4 at 2:3").click()
        desk.quiet()
        assert desk.api("view")["parts"][0]["pitch"] == [60, 62]

    def test_a_value_is_put_in_and_taken_away(self, desk: Desk) -> None:
        desk.open(file_of(phrase([64, 65, 66]))).press("e")
        events = desk.page.get_by_role("region", name="Events")
        events.get_by_role("button", name="Put in a value").click()
        expect(desk.page.get_by_test_id("event-count")).to_contain_text("choose one in the panel first")
        desk.act_on("cc:11")
        events.get_by_role("button", name="Put in a value").click()
        cell = events.get_by_label("Value of 11 Expression at 1:1")
        cell.fill("77")
        cell.press("Enter")
        desk.quiet()
        assert bytes([0xB0, 11, 77]) in desk.download()
        place = events.get_by_label("Place of 11 Expression, in bar, beat and ticks")
        place.fill("1:2")
        place.press("Enter")
        desk.quiet()
        assert desk.api("view")["parts"][0]["lanes"][0]["nodes"] == 1
        events.get_by_label("Delete 11 Expression at 1:2").click()
        expect(cell).to_have_count(0)
        desk.quiet()
        assert bytes([0xB0, 11]) not in desk.download()

    def test_a_text_is_put_in_said_otherwise_moved_and_taken_away(self, desk: Desk) -> None:
        desk.open(file_of(phrase([64, 65, 66]))).press("e")
        events = desk.page.get_by_role("region", name="Events")
        events.get_by_role("button", name="Put in a text").click()
        words = events.get_by_label("What the marker at 1:1 says")
        words.fill("Low water")
        words.press("Enter")
        desk.quiet()
        assert b"\xff\x06\x09Low water" in desk.download()
        place = events.get_by_label("Place of marker, in bar, beat and ticks")
        place.fill("1:3")
        place.press("Enter")
        expect(events.get_by_label("What the marker at 1:3 says")).to_have_value("Low water")
        expect(desk.page.get_by_role("img", name="At 1:3: text: marker Low water")).to_be_visible()
        events.get_by_label("Delete marker at 1:3").click()
        desk.quiet()
        assert b"Low water" not in desk.download()

    def test_a_click_on_a_head_puts_the_rows_in_its_order(self, desk: Desk) -> None:
        desk.open(file_of(phrase([64, 90, 20, 70]))).press("e")
        events = desk.page.get_by_role("region", name="Events")
        events.get_by_label("Kind of event").select_option("note")
        head = events.get_by_role("columnheader", name="Value")

        def forces() -> list[str]:
            return [one.input_value() for one in events.get_by_label("Velocity of").all()]

        desk.until(lambda: forces() == ["64", "90", "20", "70"])
        head.get_by_role("button").click()
        desk.until(lambda: forces() == ["20", "64", "70", "90"])
        expect(head).to_have_attribute("aria-sort", "ascending")
        head.get_by_role("button").click()
        desk.until(lambda: forces() == ["90", "70", "64", "20"])
        expect(head).to_have_attribute("aria-sort", "descending")

    def test_a_controllers_value_is_changed_there_too_and_undone(self, desk: Desk) -> None:
        desk.open(the_stair())
        desk.button("Reed box").click()
        desk.press("e")
        events = desk.page.get_by_role("region", name="Events")
        events.get_by_label("Kind of event").select_option("controller")
        events.get_by_label("Part of the events").select_option("Reed box")
        cell = events.get_by_label("Value of 64 Sustain pedal at 1:1").first
        cell.fill("5")
        cell.press("Enter")
        desk.expect_strokes("Sustain pedal to 5")
        assert "cc:64" in str(desk.api("view")["history"]["strokes"][0]["stroke"])
        expect(desk.page.locator("[data-lane='cc:64']")).to_contain_text("55 · 0 to 127")
        written = desk.download()
        assert bytes([0xB1, 64, 5]) in written
        assert bytes([0xB1, 64, 5]) not in the_stair()
        desk.button("Undo").click()
        expect(cell).to_have_value("127")

    def test_it_follows_the_selection_both_ways(self, desk: Desk) -> None:
        desk.open(the_keepers_log()).press("e")
        events = desk.page.get_by_role("region", name="Events")
        events.get_by_label("Kind of event").select_option("note")
        expect(desk.page.get_by_test_id("event-count")).to_contain_text("1,006 rows")
        events.get_by_role("row").nth(3).get_by_role("button").first.click()
        expect(desk.page.get_by_test_id("facts")).to_have_text("1 note")
        expect(events.locator("[aria-selected=true]")).to_have_count(1)
        desk.press("End", "Escape", "w")
        lane_x = desk.x_of(70)
        notes = desk.box("Notes of")
        desk.drag((lane_x, notes["y"] + 3), (lane_x + 20, notes["y"] + notes["height"] - 3))
        expect(events.locator("[aria-selected=true]").first).to_be_visible()
        place = events.locator("[aria-selected=true]").first.get_by_label("Place of")
        expect(place).to_have_value(re.compile(r"^(6[5-9]|7\d):"))

    def test_a_long_take_is_listed_without_building_it_all(self, desk: Desk) -> None:
        desk.open(the_stair()).press("e")
        expect(desk.page.get_by_test_id("event-count")).to_contain_text("5,140 rows")
        assert desk.page.get_by_role("row").count() < 30
        desk.page.get_by_role("region", name="Events").locator("[tabindex='0']").evaluate("e => e.scrollTo(0, 1e9)")
        last = desk.page.get_by_role("row").last.get_by_label("in bar, beat and ticks")
        expect(last).to_have_value(re.compile(r"^28:4\."))
