"""Names that would do harm where anybody took them for more than text: everywhere a name can stand, in a live page."""

import mido
from playwright.sync_api import ConsoleMessage, Dialog, Page, expect

from tests.browser.desk import Desk
from tests.files import file_of, phrase

NAMES = (
    "<img src=x onerror='window.taken=1'>",
    '"><script>window.taken=1</script>',
    "javascript:window.taken=1//",
    "{{constructor.constructor('window.taken=1')()}}",
    "<svg/onload=window.taken=1>",
)


def recorded() -> bytes:
    """Each name as a track, a marker, a lyric, a text and an instrument."""
    tracks = []
    for number, name in enumerate(NAMES):
        texts = [
            mido.MetaMessage(kind, **{field: name}, time=0)
            for kind, field in (
                ("track_name", "name"), ("marker", "text"), ("lyrics", "text"), ("text", "text"),
                ("instrument_name", "name"), ("cue_marker", "text"),
            )
        ]  # fmt: skip
        tracks.append([*texts, *phrase([40 + at for at in range(30)], channel=number)])
    return file_of(*tracks)


def test_names_are_text_wherever_they_stand(desk: Desk, page: Page) -> None:
    told: list[str] = []

    def hear(message: ConsoleMessage) -> None:
        if message.type == "error" or "Content Security Policy" in message.text:
            told.append(message.text)

    def dismiss(dialog: Dialog) -> None:
        told.append(dialog.message)
        dialog.dismiss()

    page.on("console", hear)
    page.on("dialog", dismiss)
    page.on("pageerror", lambda error: told.append(str(error)))
    for name in NAMES:
        desk.open(recorded(), f"{name.replace('/', ' ')}.mid")
    parts = page.get_by_role("navigation", name="Parts")
    expect(parts.get_by_role("button", name=NAMES[0], exact=True)).to_be_visible()
    # The list of events, the page of staves, search, the check-up; a stroke and a hand of that name.
    desk.button("Events").click()
    expect(page.get_by_test_id("event-count")).to_contain_text("rows")
    desk.button("Page").click()
    expect(page.get_by_test_id("sheet").locator("g.note").first).to_be_attached()
    desk.button("Check-up").click()
    desk.press("/")
    page.get_by_label("What it does").fill("onerror")
    expect(page.get_by_text(f"{NAMES[0]} to the front")).to_be_visible()
    page.keyboard.press("Escape")
    page.get_by_role("button", name=f"More for part {NAMES[0]}").click()
    page.get_by_role("menuitem", name="Measure how it is played").click()
    expect(page.get_by_text("is a hand now, from 30 notes")).to_be_visible()
    desk.keep({"kind": "velocity.set", "value": 50, "called": NAMES[0]})
    desk.expect_strokes(NAMES[0])
    page.goto("/")
    expect(page.get_by_role("link", name="onerror")).to_be_visible()
    assert told == []
    assert page.evaluate("window.taken") is None
