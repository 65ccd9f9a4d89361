"""Every view and state by the rules of WCAG 2 A and AA, as far as a machine can check them (axe-core)."""

import re
from collections.abc import Callable
from pathlib import Path

import pytest
from django.contrib.auth.models import User
from playwright.sync_api import Page, expect

from demo.fog_signal import the_stair
from studio.services import takes
from tests.browser.desk import Desk, until
from tests.browser.test_lanes import LaneBox, sent, with_wheel
from tests.files import file_of, phrase

AXE = Path(__file__).parents[2] / "web/node_modules/axe-core/axe.min.js"
RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]


def violations(page: Page) -> list[str]:
    """What is wrong on the page as it is, each with the places."""
    # As a tool of the browser's own: a page runs no script but those that ship.
    page.evaluate(AXE.read_text())
    found = page.evaluate("rules => axe.run({runOnly: rules}).then(({violations}) => violations)", RULES)
    return [f"{one['id']}: {[node['html'][:160] for node in one['nodes'][:4]]}" for one in found]


def test_the_library(page: Page, player: User) -> None:
    assert violations(page) == []  # Empty.
    kept, gone = (takes.add(player, f"{name}.mid", the_stair()) for name in ("Kept", "Gone"))
    takes.delete(player, gone.pk)
    page.reload()
    page.locator("summary").click()
    assert violations(page) == []
    page.get_by_role("button", name=f"More for {kept.name}").click()
    expect(page.get_by_role("menuitem", name="Delete")).to_be_visible()
    assert violations(page) == []


def test_signing_in(page: Page) -> None:
    page.get_by_role("button", name="Sign out").click()
    page.get_by_label("Name").fill("anna")
    page.get_by_label("Password").fill("wrong")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert")).to_be_visible()
    assert violations(page) == []


def chosen(desk: Desk) -> None:
    desk.press("Control+a")
    expect(desk.page.get_by_test_id("facts")).to_be_visible()


def hairpin_with_a_fault(desk: Desk) -> None:
    chosen(desk)
    desk.press("h")
    desk.entry("Start").fill("300")
    expect(desk.page.get_by_role("alert")).to_be_visible()


def kept(desk: Desk) -> None:
    chosen(desk)
    desk.press("h")
    desk.button("Keep").click()
    expect(desk.button("Done")).to_be_visible()
    desk.press("Control+z")
    expect(desk.page.get_by_title("Do it again, and all before it")).to_be_visible()


def framed(desk: Desk) -> None:
    LaneBox(desk, "cc:1")
    desk.span(5, 9)
    desk.button("Frame").click()
    expect(desk.page.get_by_test_id("frame")).to_be_visible()


def listed(desk: Desk) -> None:
    desk.press("e")
    expect(desk.page.get_by_label("Value of", exact=False).or_(desk.page.get_by_role("row")).first).to_be_visible()


def finder(desk: Desk) -> None:
    desk.press("/")
    desk.page.get_by_label("What it does").fill("swell")


def keys(desk: Desk) -> None:
    desk.press("?")
    expect(desk.page.get_by_role("dialog")).to_be_visible()


def a_bar_that_is_not_there(desk: Desk) -> None:
    desk.press("j")
    desk.page.get_by_label("Bar, or bars").fill("99")
    desk.page.keyboard.press("Enter")
    expect(desk.page.get_by_role("alert")).to_be_visible()


def part_menu(desk: Desk) -> None:
    desk.page.get_by_role("button", name="More for part Bowed glass").click()
    expect(desk.page.get_by_role("menuitem").first).to_be_visible()


def the_page_and_cues(desk: Desk) -> None:
    desk.keep({"kind": "notes.cue", "where": {"parts": [0], "notes": [[0, 0], [3, 3]]}, "name": "breathy"})
    desk.press("q")
    expect(desk.page.get_by_test_id("sheet").locator("g.note").first).to_be_attached()
    desk.page.get_by_role("region", name="Cues").get_by_role("button").first.click()
    expect(desk.page.get_by_label("What the key calls up")).to_be_visible()


def a_strum(desk: Desk) -> None:
    desk.page.get_by_role("button", name="Reed box").first.click()
    chosen(desk)
    desk.button("Strum").click()
    expect(desk.page.get_by_label("Each (ms)")).to_be_visible()


def played_in(desk: Desk) -> None:
    """The rig, an output with all that it has, letters that play, and a finding."""
    desk.button("Play in").click()
    desk.page.get_by_label("Output").select_option("Simulated instrument")
    desk.page.get_by_label("Letters play").check()
    desk.page.get_by_label("Volume moves by itself").check()
    desk.button("Listen first").click()
    expect(desk.button("Ignore it")).to_be_visible()
    desk.page.get_by_label("Volume moves by itself").uncheck()


def recorded(desk: Desk) -> None:
    """While it is recorded."""
    desk.button("Play in").click()
    desk.page.get_by_label("Count-in").select_option("0")
    desk.button("Record").click()
    expect(desk.page.get_by_text("Recording, ")).to_be_visible()


def checked_up(desk: Desk) -> None:
    """What is broken and what is stiff, as a list."""
    desk.button("Check-up").click()
    expect(desk.page.get_by_role("list", name="What was found").get_by_role("listitem").first).to_be_visible()


def first_shape_unfolded(desk: Desk) -> None:
    """A first shape, open in the panel and unfolded in the history; a phrase has the focus."""
    desk.button("First shape").click()
    desk.button("Keep").click()
    desk.quiet()
    desk.button("What As if struck is made of").click()
    desk.page.locator("[data-phrase='1']").focus()


def like_a_hand(desk: Desk) -> None:
    """A hand that was measured, given to the part."""
    desk.page.get_by_role("button", name="More for part Thumb piano").click()
    desk.page.get_by_role("menuitem", name="Measure how it is played").click()
    expect(desk.page.get_by_text("is a hand now")).to_be_visible()
    desk.button("Like a hand").click()
    expect(desk.page.get_by_label("Hand", exact=True)).to_be_visible()


def taken_home(desk: Desk) -> None:
    """Every way out, with what will not sound as drawn."""
    desk.page.get_by_label("Take it home in another form").click()
    desk.page.get_by_label("Form", exact=True).select_option("plain: one channel a part")
    expect(desk.page.get_by_text("The cable: at most")).to_be_visible()


def compared(desk: Desk) -> None:
    """The take beside what it was."""
    desk.keep({"kind": "velocity.set", "value": 40, "where": {"parts": [0]}})
    desk.press("/")
    desk.page.get_by_label("What it does").fill("compare with what")
    desk.page.keyboard.press("Enter")
    expect(desk.page.get_by_role("list", name="What differs").get_by_role("listitem").first).to_be_visible()


STATES = [
    *(chosen, hairpin_with_a_fault, kept, framed, listed, finder, keys, a_bar_that_is_not_there, part_menu),
    *(the_page_and_cues, a_strum, played_in, recorded, checked_up, first_shape_unfolded, like_a_hand),
    *(taken_home, compared),
]


@pytest.mark.parametrize("state", STATES, ids=lambda state: state.__name__)
def test_the_desk(desk: Desk, state: Callable[[Desk], None]) -> None:
    desk.open(the_stair())
    state(desk)
    desk.quiet()
    assert violations(desk.page) == []


def focused(page: Page) -> str:
    """The name of what has the focus; empty where nothing has."""
    return str(
        page.evaluate(
            "(at => at === document.body ? '' : at.textContent || at.ariaLabel || at.tagName)(document.activeElement)"
        )
    )


def test_focus_never_falls_to_nowhere(desk: Desk) -> None:
    page = desk.page
    desk.open(the_stair()).press("Control+a", "h")
    desk.button("Keep").focus()
    page.keyboard.press("Enter")
    desk.button("Done").wait_for()
    assert focused(page) == "Done"
    desk.button("Delete stroke").focus()
    page.keyboard.press("Enter")
    desk.expect_strokes()
    desk.until(lambda: focused(page))
    page.get_by_role("button", name="Undo", exact=True).focus()
    page.keyboard.press("Enter")
    desk.quiet()
    page.get_by_role("button", name="Undo", exact=True).focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Undo", exact=True)).to_be_disabled()
    desk.until(lambda: focused(page))


def test_what_was_left_by_the_mouse_takes_no_focus_when_keys_are_pressed(page: Page, player: User) -> None:
    takes.add(player, "One.mid", the_stair())
    page.reload()
    page.get_by_role("link", name="One").click()
    page.get_by_role("navigation", name="Parts").wait_for()
    page.keyboard.press("w")
    page.keyboard.press("?")
    page.get_by_role("dialog").wait_for()
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)
    expect(page.get_by_role("button", name="Skip to the staves")).not_to_be_focused()


def test_a_menu_gives_the_focus_back_and_a_deleted_take_leaves_it_to_another(page: Page, player: User) -> None:
    for name in ("One", "Two"):
        takes.add(player, f"{name}.mid", the_stair())
    page.reload()
    more = page.get_by_role("button", name="More for One")
    more.focus()
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    expect(more).to_be_focused()
    page.keyboard.press("Enter")
    page.get_by_role("menuitem", name="Delete").press("Enter")
    expect(page.get_by_role("link", name="One")).to_have_count(0)
    until(page, lambda: page.evaluate("document.activeElement !== document.body"))


def test_letters_can_be_made_to_need_alt(desk: Desk) -> None:
    desk.open(the_stair()).press("?")
    desk.page.get_by_label("Letters act by themselves").uncheck()
    desk.press("Escape", "e")
    expect(desk.page.get_by_role("region", name="Events")).to_have_count(0)
    desk.press("Alt+e")
    expect(desk.page.get_by_role("region", name="Events")).to_be_visible()
    desk.press("/")
    expect(desk.page.get_by_label("What it does")).to_have_count(0)


def test_what_is_done_is_spoken(desk: Desk) -> None:
    desk.open(the_stair()).press("Control+a", "ArrowUp")
    done = desk.page.get_by_test_id("done")
    expect(done).to_have_text(re.compile(r"^Kept: Nudge by \+1, bars 5–27, on 34$"))
    desk.press("Control+z")
    expect(done).to_have_text(re.compile(r"^Undone: "))


def test_what_is_chosen_and_heard_is_spoken(desk: Desk) -> None:
    page = desk.open(the_stair()).page
    desk.press("Control+a")
    said = page.locator("p[aria-live=polite]").first
    expect(said).to_have_text(re.compile(r"^34 notes of \w.* chosen, bars 5 to 27$"))
    # The rule that nobody uses stays quiet.
    expect(page.get_by_test_id("rule")).to_have_attribute("aria-live", "off")
    desk.press("Escape", "h", "Enter", "Escape", "Escape")
    heard = page.get_by_test_id("heard")
    desk.press("b")
    expect(heard).to_have_text("Before is heard and seen")
    desk.press("b")
    expect(heard).to_have_text("After is heard and seen")
    page.get_by_label("Rule", exact=True).focus()
    expect(page.get_by_test_id("rule")).to_have_attribute("aria-live", "polite")


def test_the_page_is_read_as_a_list_of_measures(desk: Desk) -> None:
    page = desk.open(file_of(phrase([64] * 6))).page
    desk.press("q")
    measures = page.get_by_role("list", name="Measures").get_by_role("listitem")
    expect(measures.first).to_have_text("Bar 1. beat 1 C4, beat 2 C♯4, beat 3 D4, beat 4 E♭4")
    expect(measures.nth(1)).to_have_text("Bar 2. beat 1 E4, beat 2 F4")


def test_a_hairpin_by_keys_alone(page: Page, player: User) -> None:
    """From the library to a shaped phrase and the file, without a mouse, in fewer than 60 presses."""
    takes.add(player, "Stair.mid", the_stair())
    page.reload()
    expect(page.get_by_role("link", name="Stair")).to_be_visible()
    presses = 0

    def press(*keys: str) -> None:
        nonlocal presses
        for key in keys:
            presses += 1
            page.keyboard.press(key)

    def tab_to(name: str) -> None:
        for _ in range(30):
            if name in focused(page):
                return
            press("Tab")
        raise AssertionError(f"{name} is not reached")

    tab_to("Stair")
    press("Enter")
    expect(page.get_by_role("navigation", name="Parts").get_by_role("button").first).to_be_visible()
    press("j", *"5-8", "Enter")
    expect(page.get_by_test_id("facts")).to_contain_text("notes")
    before = presses
    press("h")
    expect(page.get_by_role("region", name="Shape").get_by_label("Start", exact=True)).to_be_focused()
    press(*"38", "Tab", *"112", "Enter")
    expect(page.get_by_role("list", name="History").get_by_role("switch")).to_have_count(1)
    expect(page.get_by_role("list", name="History")).to_contain_text("Hairpin 38 → 112")
    # With the choice of its bars, 16 at most.
    assert presses - before + len("j5-8") + 1 <= 16
    with page.expect_download() as saving:
        press("/", *"download", "Enter")
    assert saving.value.suggested_filename == "Stair.mid"
    assert presses < 60


def test_a_lane_is_gone_through_and_changed_by_keys_alone(desk: Desk) -> None:
    desk.open(with_wheel([10, 50, 90], gap=960))
    lane = LaneBox(desk, "cc:1")
    canvas = lane.row.locator("canvas")
    expect(canvas).to_have_attribute("aria-label", "CC 1 Mod wheel of the leading part: 3 nodes, 10 to 90")
    canvas.focus()
    desk.press("Home")
    expect(lane.row.get_by_text("Node at 1:1: 10")).to_be_attached()
    desk.press("ArrowRight")
    expect(lane.row.get_by_text("Node at 1:3: 50")).to_be_attached()
    desk.press("ArrowUp", "Shift+ArrowUp")
    desk.expect_strokes("Mod wheel to 61")
    assert [value for _, value in sent(desk.download(), 1)] == [10, 61, 90]
    canvas.focus()
    desk.press("End")
    expect(lane.row.get_by_text(": 90")).to_be_attached()
    desk.press("Delete", "Enter")
    desk.expect_strokes("Mod wheel to 61", "Mod wheel erased")
    # At the playhead, which rests at the start, a node is put down that can be moved at once.
    desk.press("Enter")
    assert violations(desk.page) == []


def test_forced_colours_show_what_is_on(desk: Desk) -> None:
    desk.page.emulate_media(forced_colors="active")
    desk.open(the_stair())
    desk.press("Control+a", "d")
    on = desk.page.locator("[aria-pressed='true']").first
    off = desk.page.locator("[aria-pressed='false']").first
    ground = "one => getComputedStyle(one).backgroundColor"
    # Staves are drawn in the system's colours, too: by those of a dark theme on black, and back again.
    drawn = """one => [...one.getContext("2d").getImageData(4, one.height - 4, 1, 1).data].slice(0, 3)"""
    paper = desk.canvas("Velocity").evaluate(drawn)
    desk.page.emulate_media(forced_colors="active", color_scheme="dark")
    desk.page.reload()
    expect(desk.canvas("Velocity")).to_be_visible()
    desk.until(lambda: sum(desk.canvas("Velocity").evaluate(drawn)) < 60)
    desk.page.emulate_media(forced_colors="none", color_scheme="light")
    desk.until(lambda: desk.canvas("Velocity").evaluate(drawn) not in ([0, 0, 0], [255, 255, 255], paper))
    desk.page.emulate_media(forced_colors="active")
    desk.press("Control+a", "d")
    assert on.evaluate(ground) != off.evaluate(ground)
    # The colours are the system's, and their contrast is the player's own choice.
    assert [one for one in violations(desk.page) if not one.startswith("color-contrast")] == []


SMALL = """() => [...document.querySelectorAll("button, a[href], input, select, summary")].filter((one) => {
    // What takes a click for a field is the words and the field together; a click beside a switch is its own, too.
    const whole = one.closest("label") ?? one, box = whole.getBoundingClientRect();
    const [above, left] = ["top", "left"].map((edge) => -parseFloat(getComputedStyle(one, "::after")[edge]) || 0);
    return box.width > 0 && box.height > 1 && (box.width + 2 * left < 24 || box.height + 2 * above < 24);
  }).map((one) => `${one.ariaLabel ?? one.textContent}`)"""
"""What is smaller than 24 pixels either way."""


def test_targets_have_24_pixels_and_fields_an_edge_that_is_seen(desk: Desk) -> None:
    page = desk.open(the_stair()).page
    desk.press("Control+a", "h", "Enter")
    desk.button("Events").click()
    desk.button("Page").click()
    expect(page.get_by_role("region", name="Events").get_by_role("row").nth(2)).to_be_visible()
    expect(page.get_by_test_id("sheet").locator("g.note").first).to_be_attached()
    # Heads of columns are words in a row of their own, as tall as they have to be.
    heads = page.get_by_role("columnheader").all_inner_texts()
    small = [name for name in page.evaluate(SMALL) if name not in heads]
    assert small == [], small
    edge, ground = desk.entry("Start").evaluate(
        "one => [getComputedStyle(one).borderColor, getComputedStyle(one).backgroundColor]"
    )
    assert contrast(edge, ground) >= 3


def contrast(one: str, other: str) -> float:
    """By the formula of WCAG, of two colours as a style sheet computes them: rgb(r, g, b)."""

    def luminance(colour: str) -> float:
        shares = [int(share) / 255 for share in re.findall(r"\d+", colour)[:3]]
        red, green, blue = (x / 12.92 if x <= 0.04045 else ((x + 0.055) / 1.055) ** 2.4 for x in shares)
        return 0.2126 * red + 0.7152 * green + 0.0722 * blue

    dark, light = sorted(map(luminance, (one, other)))
    return (light + 0.05) / (dark + 0.05)
