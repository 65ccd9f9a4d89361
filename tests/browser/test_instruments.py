"""What the practice synth makes of controllers: level, pan, brightness; what a route moves; a sound beside the take."""

from collections.abc import Callable

import mido
import numpy as np
import pytest
from playwright.sync_api import Page, Request, expect

from studio.services import takes
from tests.browser.desk import Desk, act_on
from tests.browser.test_lanes import PLAIN, add_lane, centroid, with_wheel
from tests.browser.test_sound import RATE, Place, render
from tests.expression.test_sound import tone, wav
from tests.files import file_of

Measure = Callable[[np.ndarray], float]


def held(*controls: tuple[int, int], key: int = 69) -> bytes:
    """One long note, with controllers set before it."""
    track = [mido.Message("control_change", control=control, value=value) for control, value in controls]
    note = [mido.Message("note_on", note=key, velocity=80), mido.Message("note_off", note=key, time=4 * 480)]
    return file_of([*track, *note])


def level(sound: np.ndarray) -> float:
    """Root mean square of what has settled."""
    return float(np.sqrt((sound[RATE // 2 : RATE] ** 2).mean()))


def settled_centroid(sound: np.ndarray) -> float:
    return centroid(sound[RATE // 2 : RATE])


@pytest.mark.parametrize("control", [7, 11])
def test_volume_and_expression_change_the_level_and_not_the_tone(desk: Desk, control: int) -> None:
    full, half = (render(desk.open(held((control, value))), end=1.5, patch="reed box") for value in (127, 64))
    # By the square of the controller (RP-036, General MIDI's recommended curve).
    assert level(half) / level(full) == pytest.approx((64 / 127) ** 2, rel=0.02)
    assert settled_centroid(half) == pytest.approx(settled_centroid(full), rel=0.01)


def test_pan_goes_from_side_to_side_and_keeps_the_power(desk: Desk) -> None:
    powers = []
    for value, louder in ((0, "left"), (64, None), (127, "right")):
        desk.open(held((10, value)))
        left, right = (level(render(desk, end=1.5, patch="reed box", side=side)) for side in (0, 1))
        powers.append(left**2 + right**2)
        if louder is None:
            assert left == pytest.approx(right, rel=0.05)
        else:
            quiet, loud = sorted((left, right))
            assert quiet < 0.02 * loud
            assert (left > right) == (louder == "left")
    assert powers == pytest.approx([powers[0]] * 3, rel=0.05)


def test_timbre_opens_and_closes_about_its_middle(desk: Desk) -> None:
    closed, middle, none, opened = (
        settled_centroid(render(desk.open(held(*controls)), end=1.5, patch="reed box"))
        for controls in ([(74, 0)], [(74, 64)], [], [(74, 127)])
    )
    assert closed < 0.9 * middle
    assert opened > 1.1 * middle
    assert middle == pytest.approx(none, rel=0.02)


def spread(sound: np.ndarray) -> float:
    """How far the energy near the note's own frequency spreads, in hertz."""
    piece = sound[RATE // 2 : 3 * RATE // 2]
    power = np.abs(np.fft.rfft(piece * np.hanning(len(piece)))) ** 2
    hertz = np.fft.rfftfreq(len(piece), 1 / RATE)
    near = np.abs(hertz - 440) < 60
    share = power[near] / power[near].sum()
    return float(np.sqrt((share * (hertz[near] - (share * hertz[near]).sum()) ** 2).sum()))


@pytest.mark.parametrize(
    ("target", "measure", "grows"),
    [("level", level, 1.5), ("brightness", settled_centroid, 1.1), ("vibrato", spread, 2), ("detune", spread, 1.2)],
)
def test_any_lane_is_routed_to_any_target(desk: Desk, target: str, measure: Measure, grows: float) -> None:
    desk.open(held((20, 127)))
    routes: list[list[dict[str, object]]] = [[{"lane": "cc:20", "target": target, "amount": 1}]]
    plain = measure(render(desk, end=1.8, patch="bowed glass", routes=[[]]))
    routed = measure(render(desk, end=1.8, patch="bowed glass", routes=routes))
    assert routed > grows * plain


def test_a_route_to_pan_moves_aside_what_is_in_the_middle(desk: Desk) -> None:
    desk.open(held((20, 127)))
    routes = [[{"lane": "cc:20", "target": "pan", "amount": -1}]]
    left, right = (level(render(desk, end=1.5, patch="reed box", routes=routes, side=side)) for side in (0, 1))
    assert right < 0.02 * left


def test_a_route_is_chosen_changed_and_taken_away(page: Page, desk: Desk) -> None:
    desk.open(with_wheel([0, 127]))
    page.locator("[data-lane='cc:1']").get_by_role("button").first.click()
    also = page.get_by_label("Also move")
    also.select_option("detune")
    desk.quiet()
    desk.entry("detune").fill("0.3")
    desk.entry("detune").press("Enter")
    desk.quiet()
    expect(also.get_by_role("option", name="detune")).to_have_count(0)
    desk.reopen()
    page.locator("[data-lane='cc:1']").get_by_role("button").nth(1).wait_for()
    act_on(page, "cc:1")
    assert desk.number("detune") == 0.3
    # What is beyond the reach is held at its end.
    desk.entry("detune").fill("7")
    expect(desk.entry("detune")).to_have_value("7")
    desk.entry("detune").press("Enter")
    desk.quiet()
    expect(desk.entry("detune")).to_have_value("1")
    desk.button("No longer move detune").click()
    desk.quiet()
    assert desk.api("view")["arrangement"]["parts"]["0"]["routes"] == []


def test_the_middle_of_a_take_sounds_as_when_played_from_the_start(desk: Desk) -> None:
    """Starting in the middle sends the values in force."""
    desk.open(with_wheel([20], control=7, gap=480))
    whole = render(desk, end=4.0, patch="reed box")
    part = render(desk, start=2.0, end=4.0, patch="reed box")
    assert level(part) == pytest.approx(level(whole[2 * RATE :]), rel=0.02)


def test_a_sound_is_heard_with_the_take_muted_moved_and_taken_off(page: Page, desk: Desk) -> None:
    asked: list[str] = []

    def note(request: Request) -> None:
        if request.url.endswith("/sound/data"):
            asked.append(request.url)

    page.on("request", note)
    desk.open(PLAIN)
    add_lane(desk, "11", "cc:11")
    page.get_by_label("Load a WAV …").set_input_files(
        {"name": "Foghorn.wav", "mimeType": "audio/wav", "buffer": wav(tone(2.0))}
    )
    heard = page.get_by_label("Heard", exact=True)
    expect(heard).to_be_checked()
    desk.until(lambda: len(asked) == 1)
    desk.button("Play").click()
    expect(desk.button("Stop")).to_be_visible()
    heard.uncheck()
    with page.expect_response(lambda answer: answer.request.method == "PATCH" and answer.url.endswith("/sound")):
        desk.entry("Begins (s)").fill("-0.5")
        desk.entry("Begins (s)").press("Enter")
        heard.check()
    expect(heard).to_be_checked()
    desk.button("Stop").click()
    assert desk.api("sound")["offset"] == -0.5
    # It is kept with the take, silent until it is wanted.
    desk.reopen()
    act_on(page, "cc:11")
    expect(page.get_by_text("Foghorn.wav, 2.0 s")).to_be_visible()
    expect(heard).not_to_be_checked()
    page.get_by_label("Another WAV …").set_input_files(
        {"name": "Bell.wav", "mimeType": "audio/wav", "buffer": wav(tone(1.0, 8_000), 8_000)}
    )
    expect(page.get_by_text("Bell.wav, 1.0 s")).to_be_visible()
    desk.button("Remove").click()
    expect(page.get_by_text("A recorded sound can be drawn against or traced.")).to_be_visible()
    assert desk.api("sound") is None


def test_the_sound_of_one_take_is_not_heard_with_another(page: Page, desk: Desk) -> None:
    page.add_init_script("""
        window.started = 0;
        const start = AudioBufferSourceNode.prototype.start;
        AudioBufferSourceNode.prototype.start = function (...at) { window.started++; return start.apply(this, at); };
    """)
    takes.add(desk.player, "other.mid", PLAIN)
    desk.open(PLAIN)
    add_lane(desk, "11", "cc:11")
    with page.expect_response(lambda answer: answer.url.endswith("/sound/data")):
        page.get_by_label("Load a WAV …").set_input_files(
            {"name": "Foghorn.wav", "mimeType": "audio/wav", "buffer": wav(tone(2.0))}
        )
    desk.button("Play").click()
    desk.until(lambda: page.evaluate("window.started > 0"))
    desk.button("Stop").click()
    started = page.evaluate("window.started")
    page.get_by_role("link", name="back to the library").click()
    page.get_by_role("link", name="other").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("other")
    desk.button("Play").click()
    Place(desk).reaches(1, 3)
    desk.button("Stop").click()
    assert page.evaluate("window.started") == started


def test_a_sound_that_cannot_be_fetched_is_said_and_not_taken_for_heard(page: Page, desk: Desk) -> None:
    desk.open(PLAIN)
    add_lane(desk, "11", "cc:11")
    page.route("**/sound/data", lambda route: route.fulfill(status=404, json={"detail": "The sound is gone."}))
    page.get_by_label("Load a WAV …").set_input_files(
        {"name": "Foghorn.wav", "mimeType": "audio/wav", "buffer": wav(tone(2.0))}
    )
    expect(page.get_by_role("status")).to_contain_text("The sound is gone.")
    expect(page.get_by_label("Heard", exact=True)).not_to_be_checked()
