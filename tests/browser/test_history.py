"""The history: what was done, undone, and seen at an earlier point."""

import re

from playwright.sync_api import expect

from tests.browser.desk import Desk
from tests.files import file_of, phrase


class TestHistory:
    def three(self, desk: Desk) -> None:
        desk.open(file_of(phrase([64] * 4))).press("Control+a")
        for count, value in enumerate((10, 20, 30), 1):
            desk.type(str(value))
            expect(desk.page.get_by_role("switch")).to_have_count(count)
            desk.press("Escape")

    def test_going_back_to_any_point_and_forward_again(self, desk: Desk) -> None:
        self.three(desk)
        desk.button("More for stroke 1").click()
        desk.page.get_by_role("menuitem", name="Go back to here").click()
        expect(desk.page.get_by_role("switch")).to_have_count(1)
        desk.expect_velocities(10, 10, 10, 10)
        desk.button("Set to 30").click()
        expect(desk.page.get_by_role("switch")).to_have_count(3)
        desk.expect_velocities(30, 30, 30, 30)

    def test_before_compares_with_any_chosen_point(self, desk: Desk) -> None:
        self.three(desk)
        desk.button("More for stroke 1").click()
        desk.page.get_by_role("menuitem", name="Compare with before this").click()
        expect(desk.strokes.first).to_contain_text("Before is before this one")
        with desk.page.expect_response(re.compile("before\\?number=1")) as answer:
            desk.button("Before").click()
        assert answer.value.json()["changes"]["velocity"] == [64] * 4
        with desk.page.expect_response(re.compile("messages")) as heard:
            desk.button("Play").click()
        assert "before=1" in heard.value.url

    def test_deleting_a_stroke_computes_the_rest_anew(self, desk: Desk) -> None:
        self.three(desk)
        desk.button("More for stroke 3").click()
        desk.page.get_by_role("menuitem", name="Delete").click()
        expect(desk.page.get_by_role("switch")).to_have_count(2)
        desk.expect_velocities(20, 20, 20, 20)
