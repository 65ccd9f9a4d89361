"""Playing in: a line over a click, a second pass for the wheel, rounds of a loop, a worn wheel, a dead tab."""

import itertools
import json
import re
from typing import Any

import mido
from playwright.sync_api import Page, expect

from studio.models import PassUnderWay
from studio.services import folding
from studio.services.takes import get
from tests.browser.desk import Desk, until
from tests.files import file_of, phrase

KINDS = ("note_on", "note_off")


FLAT = file_of(phrase([64] * 16, gap=480))


NEAR_SECONDS = 0.002

MOVED = """async (slider, values) => {
    const { set } = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value");
    for (const value of values) {
        set.call(slider, value);
        slider.dispatchEvent(new Event("input", { bubbles: true }));
        await new Promise((done) => setTimeout(done, 30));
    }
}"""


def begin_new(page: Page, bpm: str = "240") -> None:
    """A take from nothing, open, with the rig in sight."""
    page.get_by_role("button", name="Play a new take").click()
    page.get_by_label("Name").fill("By the pier")
    page.get_by_label("Quarters a minute").fill(bpm)
    page.get_by_role("button", name="Begin").click()
    expect(page.get_by_role("region", name="Play in")).to_be_visible()


def rig(desk: Desk) -> None:
    desk.button("Play in").click()
    expect(desk.page.get_by_role("region", name="Play in")).to_be_visible()


def let_play(page: Page, line: str, count_in: str = "0") -> None:
    """The inside player plays a line; the count-in has so many bars."""
    page.get_by_label("Plays", exact=True).select_option(line)
    page.get_by_label("Plays whenever I record").check()
    page.get_by_label("Count-in").select_option(count_in)


def record(page: Page, messages: int) -> None:
    """Record until so many messages have come."""
    page.get_by_role("button", name="Record", exact=True).click()
    told = page.get_by_test_id("recording")
    until(page, lambda: _count(told.inner_text() if told.count() else "") >= messages)
    page.get_by_role("button", name="Stop").click()
    expect(page.get_by_role("button", name="Record", exact=True)).to_be_enabled()


def _count(words: str) -> int:
    found = re.search(r"Recording, ([\d,]+)", words)
    return int(found[1].replace(",", "")) if found else 0


def meant(page: Page) -> list[tuple[int, float, str]]:
    """What the inside player has meant: round, second, message."""
    return [tuple(one) for one in json.loads(page.get_by_test_id("meant").text_content() or "[]")]


def take_of(page: Page) -> Any:
    from django.contrib.auth.models import User

    found = re.search(r"takes/([0-9a-f-]{36})", page.url)
    assert found
    take = get(User.objects.get(), found[1])  # type: ignore[arg-type]
    return folding.made(take.pk).now.take


def strikes(part: Any) -> list[tuple[float, int]]:
    return [*zip(part.notes.start.tolist(), part.notes.pitch.tolist(), strict=True)]


def test_a_line_over_a_click_from_an_empty_take(page: Page) -> None:
    begin_new(page)
    let_play(page, "line", "1")
    record(page, 9)
    expect(page.get_by_role("list", name="History")).to_contain_text("Played in: ")
    take = take_of(page)
    wanted = [(second, int(words[2:4], 16)) for _, second, words in meant(page) if words.startswith("90")]
    played = strikes(take.parts[0])
    assert len(played) >= 4
    for (tick, key), (second, meant_key) in zip(played, wanted, strict=False):
        assert key == meant_key
        assert abs(float(take.tempo.seconds(tick)) - second) < NEAR_SECONDS
    # The click is no part of it.
    assert len(take.parts) == 1


def test_a_second_pass_adds_the_wheel_alone(desk: Desk) -> None:
    desk.open(FLAT)
    rig(desk)
    let_play(desk.page, "swell")
    record(desk.page, 40)
    desk.expect_strokes("Played in: Controls, added")
    take = take_of(desk.page)
    assert len(take.parts[0].notes) == 16
    lane = take.parts[0].lanes["cc:1"].curve
    assert lane.values.max() >= 60
    desk.press("Control+z")
    expect(desk.page.get_by_title("Do it again, and all before it")).to_have_text("Played in: Controls, added")
    desk.quiet()
    assert "cc:1" not in take_of(desk.page).parts[0].lanes


def test_rounds_of_a_loop_and_a_bar_from_another(desk: Desk) -> None:
    desk.open(FLAT)
    rig(desk)
    left, right = desk.x_of(1), desk.x_of(3)
    ruler = desk.box("Ruler")
    middle = ruler["y"] + ruler["height"] / 2
    desk.drag((left + 1, middle), (right, middle))
    desk.button("Repeat span").click()
    desk.page.get_by_role("button", name="in place", exact=True).click()
    let_play(desk.page, "line")
    desk.page.get_by_role("button", name="Record", exact=True).click()
    # Well into the third round: a key at its very start may still be heard as the end of the second.
    until(desk.page, lambda: sum(number >= 2 for number, _, _ in meant(desk.page)) >= 4)
    desk.page.get_by_role("button", name="Stop").click()
    expect(desk.page.get_by_role("button", name="Record", exact=True)).to_be_enabled()
    items = desk.page.get_by_role("list", name="History").get_by_role("listitem")
    until(desk.page, lambda: items.count() >= 3)
    switches = desk.page.get_by_role("list", name="History").get_by_role("switch")
    on = [switches.nth(row).get_attribute("aria-checked") for row in range(switches.count())]
    # The last that was played to its end sounds: the one after it was broken off.
    assert on.count("true") == 1
    assert on[-2:] in (["true", "false"], ["false", "true"])
    by_round = itertools.groupby(sorted(meant(desk.page)), key=lambda one: one[0])
    wanted = {number: [row for row in rows if row[2].startswith("90")] for number, rows in by_round}
    # Bar 2 from the first round, where that is not the one that sounds.
    if on[0] == "true":
        items.nth(1).get_by_role("button").first.click()
        desk.button("This one sounds").click()
        until(desk.page, lambda: switches.first.get_attribute("aria-checked") == "false")
    items.first.get_by_role("button").first.click()
    expect(items.first.get_by_role("button").first).to_have_attribute("aria-expanded", "true")
    expect(desk.page.get_by_text(re.compile("^Round 1 of"))).to_be_visible()
    desk.quiet()
    # One drag over the second half of its row: the second of the two bars.
    across = desk.page.get_by_test_id("round 1")
    across.hover()
    row = across.bounding_box()
    assert row
    middle = row["height"] / 2
    across.hover(position={"x": 0.6 * row["width"], "y": middle})
    desk.page.mouse.down()
    across.hover(position={"x": 0.9 * row["width"], "y": middle}, force=True)
    desk.page.mouse.up()
    until(desk.page, lambda: switches.first.get_attribute("aria-checked") == "true")
    desk.quiet()
    take = take_of(desk.page)
    heard = [(float(take.tempo.seconds(tick)), key) for tick, key in strikes(take.parts[0]) if tick < 2 * 3840]
    bar = [(second, key) for second, key in heard if second >= 2.0]
    first = [(second, int(words[2:4], 16)) for _, second, words in wanted[0] if second >= 2.0]
    assert [key for _, key in bar] == [key for _, key in first]
    assert all(abs(one[0] - other[0]) < NEAR_SECONDS for one, other in zip(bar, first, strict=True))


BUSY = "window.busy = setInterval(() => { const end = performance.now() + 35; while (performance.now() < end); }, 50)"
"""A page that has something else to do for most of the time."""


def test_a_busy_tab_records_in_time(page: Page) -> None:
    begin_new(page)
    let_play(page, "line", "1")
    page.evaluate(BUSY)
    record(page, 9)
    page.evaluate("clearInterval(window.busy)")
    take = take_of(page)
    kept = [(float(take.tempo.seconds(tick)), key) for tick, key in strikes(take.parts[0])]
    wanted = [(second, int(words[2:4], 16)) for _, second, words in meant(page) if words.startswith("90")]
    assert len(kept) >= 4
    for (second, key), (due, pitch) in zip(kept, sorted(wanted), strict=False):
        assert key == pitch
        assert abs(second - due) < NEAR_SECONDS


def test_escape_drops_it_and_backspace_begins_again(desk: Desk) -> None:
    desk.open(FLAT)
    rig(desk)
    let_play(desk.page, "line")
    desk.page.get_by_role("button", name="Record", exact=True).click()
    until(desk.page, lambda: len(meant(desk.page)) > 2)
    desk.press("Backspace")
    until(desk.page, lambda: desk.page.get_by_role("button", name="Stop").count() == 1)
    desk.press("Escape")
    expect(desk.page.get_by_role("button", name="Record", exact=True)).to_be_enabled()
    desk.quiet()
    desk.expect_strokes()
    assert PassUnderWay.objects.count() == 0
    assert len(take_of(desk.page).parts[0].notes) == 16


def test_what_was_played_without_recording_is_kept_afterwards(desk: Desk) -> None:
    desk.open(FLAT)
    rig(desk)
    desk.page.locator("[data-key='60']").click()
    desk.page.locator("[data-key='64']").click()
    desk.button("Keep what I just played").click()
    desk.expect_strokes("Played in: 2 notes, added")
    assert {60, 64} <= {key for _, key in strikes(take_of(desk.page).parts[0])}


def test_letters_play_while_they_are_asked_to(desk: Desk) -> None:
    desk.open(FLAT)
    rig(desk)
    desk.page.get_by_label("Letters play").check()
    desk.page.get_by_role("heading", level=1).click()
    desk.press("a", "s", "q")
    desk.button("Keep what I just played").click()
    desk.expect_strokes("Played in: 3 notes, added")
    part = take_of(desk.page).parts[0]
    new = [row for row, note in enumerate(part.notes.id.tolist()) if note >= 2**32]
    assert part.notes.pitch[new].tolist() == [60, 62, 60]
    assert part.notes.velocity[new].tolist() == [80, 80, 112]
    # Without being asked they are the desk's own keys.
    desk.page.get_by_label("Letters play").uncheck()
    desk.page.get_by_role("heading", level=1).click()
    desk.press("y")
    expect(desk.page.get_by_role("region", name="Play in")).to_have_count(0)


def test_a_worn_wheel_and_fader_are_found_and_put_right(desk: Desk) -> None:
    desk.open(FLAT)
    rig(desk)
    desk.page.get_by_label("The wheel rests at +37").check()
    desk.page.get_by_label("Volume moves by itself").check()
    desk.button("Listen first").click()
    found = desk.page.get_by_text(re.compile(r"Volume moves by itself, \d+ times a second, between 98 and 101\."))
    expect(found).to_be_visible()
    found.get_by_role("button", name="Ignore it").click()
    wheel = desk.page.get_by_label("Bend wheel")
    wheel.fill("0.5")
    desk.button("Listen first").click()
    desk.page.get_by_role("slider", name="Mod wheel").focus()
    rests = desk.page.get_by_text(re.compile(r"The bend wheel .*37"))
    expect(rests).to_be_visible()
    rests.get_by_role("button", name="Centre it").click()
    expect(desk.page.get_by_text(re.compile(r"Put right: cc:7 ignored, wheel centred"))).to_be_visible()
    # It is known on the next visit, too.
    desk.quiet()
    desk.reopen()
    rig(desk)
    expect(desk.page.get_by_text(re.compile(r"Put right: cc:7 ignored"))).to_be_visible()


def test_a_tab_that_dies_loses_a_second_at_most(desk: Desk) -> None:
    desk.open(FLAT)
    rig(desk)
    let_play(desk.page, "line")
    desk.page.get_by_role("button", name="Record", exact=True).click()
    until(desk.page, lambda: PassUnderWay.objects.filter(pieces__number__gte=1).exists())
    desk.page.goto("about:blank")
    desk.reopen()
    # It is told without being looked for.
    desk.button("See to it").click()
    expect(desk.page.get_by_role("region", name="Play in").get_by_text("was not kept")).to_be_visible()
    desk.button("Keep it").click()
    desk.expect_strokes("Played in: ")
    assert len(take_of(desk.page).parts[0].notes) > 16


def test_a_new_part_is_played_into(desk: Desk) -> None:
    desk.open(FLAT)
    rig(desk)
    desk.page.get_by_label("Part that is played").select_option("new")
    expect(desk.page.get_by_role("navigation", name="Parts").get_by_role("button", name="Part 2").first).to_be_visible()
    let_play(desk.page, "chords")
    record(desk.page, 3)
    take = take_of(desk.page)
    assert [len(part.notes) > 0 for part in take.parts] == [True, True]
    assert len(take.parts[0].notes) == 16


def test_without_a_server_it_is_kept_here_and_sent_later(desk: Desk) -> None:
    desk.open(FLAT)
    rig(desk)
    let_play(desk.page, "line")
    desk.page.route("**/passes/**", lambda route: route.abort())
    desk.page.route("**/passes", lambda route: route.abort())
    desk.page.get_by_role("button", name="Record", exact=True).click()
    until(desk.page, lambda: len(meant(desk.page)) > 4)
    desk.page.get_by_role("button", name="Stop").click()
    expect(desk.page.get_by_text("What was played is kept here")).to_be_visible()
    desk.page.unroute("**/passes/**")
    desk.page.unroute("**/passes")
    desk.reopen()
    rig(desk)
    expect(desk.page.get_by_role("region", name="Play in").get_by_text("was not kept")).to_be_visible()
    desk.button("Keep it").click()
    desk.expect_strokes("Played in: ")


def test_a_control_draws_on_the_open_lane_while_the_span_goes_round(desk: Desk) -> None:
    wheel = [mido.Message("control_change", control=1, value=20, time=480 * row) for row in range(2)]
    desk.open(file_of([*phrase([64] * 16, gap=480)], wheel))
    rig(desk)
    desk.act_on("cc:1")
    desk.span(1, 3)
    desk.button("Repeat span").click()
    desk.page.get_by_label("Retouch").check()
    desk.button("Play").click()
    desk.until(lambda: desk.page.get_by_role("button", name="Stop").count() == 1)
    control = desk.page.get_by_role("slider", name="Pressure")
    # It is heard a moment after it was asked for.
    place = desk.page.get_by_test_id("place")
    desk.until(lambda: place.inner_text() != "1:1")
    # (In the page: a busy machine would rest between two values, and each rest ends a stroke.)
    control.evaluate(MOVED, list(range(20, 110, 6)))
    desk.expect_strokes("Mod wheel drawn")
    desk.button("Stop").click()
    desk.quiet()
    lane = take_of(desk.page).parts[0].lanes["cc:1"].curve
    assert lane.values.max() > 90


def test_forces_are_learned_from_thirty_strikes(desk: Desk) -> None:
    desk.open(FLAT)
    rig(desk)
    desk.button("Learn its forces").click()
    box = desk.page.locator("[data-key='60']").bounding_box()
    assert box is not None
    x = box["x"] + box["width"] / 2
    for share in (0.65, 0.8, 0.97):
        for _ in range(10):
            desk.page.mouse.click(x, box["y"] + box["height"] * share)
    expect(desk.page.get_by_text(re.compile("Put right: forces learned"))).to_be_visible()
    # What is struck as those that were the softest is taken for soft.
    desk.page.mouse.click(x, box["y"] + box["height"] * 0.65)
    desk.button("Keep what I just played").click()
    desk.quiet()
    new = take_of(desk.page).parts[0].notes
    assert abs(int(new.velocity[new.id >= 2**32][-1]) - 32) <= 2


def test_a_tapping_test_moves_every_pass(desk: Desk) -> None:
    desk.open(FLAT)
    rig(desk)
    desk.page.get_by_label("Letters play").check()
    # Clicks come every half second from 0.6 s on; the taps come 90 ms after each that counts.
    desk.page.evaluate(
        """() => {
            const button = [...document.querySelectorAll("button")].find(one => one.textContent === "Tap test");
            button.click();
        }"""
    )
    expect(desk.button("Tap along …")).to_be_visible()
    expect(desk.button("Tap test")).to_be_visible(timeout=20_000)
    expect(desk.page.get_by_text("Too few taps came; nothing was changed.")).to_be_visible()


def test_what_was_played_freely_is_put_in_bars(page: Page) -> None:
    begin_new(page, "240")
    let_play(page, "line")
    record(page, 16)
    page.get_by_label("Beats a bar").select_option("3")
    page.get_by_role("button", name="Find its beats").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("By the pier, in bars")
    take = take_of(page)
    assert int(take.meter.beats[0]) == 3
    assert len(take.parts[0].notes) >= 7
