"""What is heard: rendered through the worklet that plays it, and played for real."""

import base64
from typing import Any

import mido
import numpy as np
import pytest
from playwright.sync_api import Response, expect

from demo.fog_signal import the_keepers_log
from tests.browser.desk import Desk
from tests.files import file_of, phrase

RATE = 44_100
FLAT = file_of(phrase([64] * 16, gap=480))
BARS = [[beat * 0.5, beat * 0.5 + 0.5] for beat in range(16)]


def render(
    desk: Desk, end: float = 8.0, patch: str = "thumb piano", before: int | None = None, **more: Any
) -> np.ndarray:
    packed = desk.page.evaluate(
        """async options => {
            const samples = await window.lull.render(options);
            let text = "";
            const bytes = new Uint8Array(samples.buffer, samples.byteOffset, samples.byteLength);
            for (let i = 0; i < bytes.length; i += 32768) text += String.fromCharCode(...bytes.subarray(i, i + 32768));
            return btoa(text);
        }""",
        {"takeId": desk.take_id, "start": 0, "end": end, "patches": [patch] * 4}
        | ({} if before is None else {"before": before})
        | more,
    )
    return np.frombuffer(base64.b64decode(packed), np.float32).astype(float)


def loudness(sound: np.ndarray) -> np.ndarray:
    """Level of each beat in dB."""
    beats = sound[: len(sound) // (RATE // 2) * (RATE // 2)].reshape(-1, RATE // 2)
    return np.asarray(10 * np.log10((beats**2).mean(axis=1) + 1e-12))


def brightness(sound: np.ndarray, pitches: list[int]) -> np.ndarray:
    """Spectral centroid of each beat, as a multiple of its pitch."""
    beats = sound[: len(sound) // (RATE // 2) * (RATE // 2)].reshape(-1, RATE // 2)
    spectrum = np.abs(np.fft.rfft(beats * np.hanning(RATE // 2), axis=1))
    frequencies = np.fft.rfftfreq(RATE // 2, 1 / RATE)
    centroid = (spectrum * frequencies).sum(axis=1) / spectrum.sum(axis=1)
    return np.asarray(centroid / (440 * 2 ** ((np.array(pitches[: len(centroid)]) - 69) / 12)))


@pytest.mark.parametrize("patch", ["thumb piano", "reed box"])
def test_along_a_hairpin_the_sound_grows_louder_and_brighter(desk: Desk, patch: str) -> None:
    pitches = [60 + step % 12 for step in range(16)]
    desk.open(FLAT)
    flat = render(desk, patch=patch)
    assert np.ptp(loudness(flat)) < 4
    desk.press("Control+a", "h")
    desk.entry("Start").fill("20")
    desk.entry("End").fill("120")
    desk.button("Keep").click()
    desk.expect_strokes("Hairpin 20 → 120")
    built = render(desk, patch=patch)
    rise = loudness(built)
    assert rise[-1] - rise[0] > 15
    assert (np.diff(rise) > -1.5).all()
    bright = brightness(built, pitches) / brightness(flat, pitches)
    assert bright[-1] / bright[0] > 1.25
    assert np.corrcoef(np.arange(16), bright)[0, 1] > 0.9
    assert np.allclose(render(desk, patch=patch, before=0), flat, atol=1e-6)


def test_many_voices_sound_at_once(desk: Desk) -> None:
    def chord(size: int) -> bytes:
        on = [mido.Message("note_on", note=40 + key, velocity=40) for key in range(size)]
        off = [mido.Message("note_off", note=40 + key, time=1920 if key == 0 else 0) for key in range(size)]
        return file_of([*on, *off])

    def partials(size: int) -> int:
        sound = render(desk.open(chord(size)), end=1.5, patch="reed box")[RATE // 2 : RATE]
        spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound))))
        frequencies = 440 * 2 ** ((np.arange(40, 40 + size) - 69) / 12)
        bins = np.round(frequencies * len(sound) / RATE).astype(int)
        return int(sum(spectrum[bin_ - 1 : bin_ + 2].max() > spectrum.max() / 200 for bin_ in bins))

    assert partials(32) == 32


class Place:
    """Where the desk says it plays. A beat may be gone before anybody looks again, so a later one does as well."""

    def __init__(self, desk: Desk) -> None:
        self.page = desk.page
        self.shown = desk.page.get_by_test_id("place")

    def now(self) -> tuple[int, int]:
        bar, beat = self.shown.inner_text().split(":")
        return int(bar), int(beat)

    def reaches(self, bar: int, beat: int) -> None:
        """Wait for a beat or one after it."""
        self._until("([bar, beat]) => now[0] > bar || (now[0] === bar && now[1] >= beat)", bar, beat)

    def returns_before(self, bar: int, beat: int) -> None:
        """Wait for a beat before this one."""
        self._until("([bar, beat]) => now[0] < bar || (now[0] === bar && now[1] < beat)", bar, beat)

    def _until(self, rule: str, *place: int) -> None:
        where = "document.querySelector('[data-testid=place]').textContent.split(':').map(Number)"
        self.page.wait_for_function(f"place => {{ const now = {where}; return ({rule})(place); }}", arg=list(place))


def test_playing_moves_the_place_and_stops_where_it_is(desk: Desk) -> None:
    desk.open(the_keepers_log())
    place = Place(desk)
    desk.button("Play").click()
    place.reaches(1, 3)
    desk.button("Stop").click()
    expect(desk.button("Play")).to_be_visible()
    stopped = place.now()
    desk.page.wait_for_timeout(400)
    assert place.now() == stopped
    ruler = desk.box("Ruler")
    desk.page.mouse.click(desk.x_of(5) + 2, ruler["y"] + 15)
    expect(desk.button("Stop")).to_be_visible()
    place.reaches(5, 2)
    desk.press("Space")
    expect(desk.button("Play")).to_be_visible()


def test_a_change_while_play_is_being_started_does_not_silence_it(desk: Desk) -> None:
    desk.open(FLAT).press("Control+a")
    desk.late("**/messages?*", 700)
    desk.button("Play").click()
    desk.button("Level out").click()
    desk.button("Keep").click()
    desk.expect_strokes("Level")
    Place(desk).reaches(1, 3)
    desk.button("Stop").click()


class Listener:
    """Notes that the page has fetched for the synth."""

    def __init__(self, desk: Desk) -> None:
        self.answers: list[tuple[str, dict[str, Any]]] = []
        desk.page.on("response", self._heard)

    def _heard(self, response: Response) -> None:
        if ("/messages?" in response.url or response.url.endswith("/rehearse")) and response.ok:
            self.answers.append((response.url, response.json()))

    def velocities(self, before: bool | None = None, revision: int | None = None) -> set[int]:
        """Of all answers, or of those with a before or without, or at one revision: an older one may come in late."""
        found: set[int] = set()
        for url, answer in self.answers:
            if before in (None, "before=" in url) and revision in (None, answer["revision"]):
                found |= self.of(answer)
        return found

    @staticmethod
    def of(answer: dict[str, Any]) -> set[int]:
        messages = mido.parse_all(base64.b64decode(answer["bytes"]))
        return {message.velocity for message in messages if message.type == "note_on"}


def test_a_span_repeats_and_a_stroke_is_heard_while_it_does(desk: Desk) -> None:
    desk.open(FLAT)
    listener = Listener(desk)
    desk.span(2, 3)
    desk.button("Repeat span").click()
    desk.button("Play").click()
    place = Place(desk)
    for _ in range(2):
        place.reaches(2, 4)
        place.returns_before(2, 3)
    assert listener.velocities() == {64}
    assert max(float(url.split("start=")[1].split("&")[0]) for url, _ in listener.answers) < 4
    listener.answers.clear()
    desk.type("101")
    desk.expect_strokes("Set to 101")
    place.reaches(2, 4)
    place.returns_before(2, 3)
    assert listener.answers[-1][1]["revision"] == 1
    assert listener.velocities(revision=1) == {101}


def seconds_of(place: tuple[int, int]) -> float:
    """When a beat begins, in four quarters at 120."""
    bar, beat = place
    return (bar - 1) * 2 + (beat - 1) / 2


def test_before_and_after_flip_without_losing_the_place(desk: Desk) -> None:
    desk.open(FLAT).press("Control+a")
    desk.type("99")
    desk.expect_strokes("Set to 99")
    listener = Listener(desk)
    desk.button("Play").click()
    place = Place(desk)
    place.reaches(2, 1)
    assert listener.velocities() == {99}
    listener.answers.clear()
    pressed = seconds_of(place.now())
    desk.button("Before").click()
    flipped = seconds_of(place.now())
    # On a slow machine the answer comes after the place.
    desk.until(lambda: listener.velocities(before=True))
    place.reaches(2, 3)
    assert listener.velocities(before=True) == {64}
    first = next(url for url, _ in listener.answers if "before=0" in url)
    # It goes on from where it was, or from a little later, for what has been handed over cannot all be taken back.
    assert pressed - 0.1 < float(first.split("start=")[1].split("&")[0]) < flipped + 0.75
    listener.answers.clear()
    desk.press("b")
    desk.until(lambda: listener.velocities(before=False))
    place.reaches(3, 1)
    assert "before=" not in listener.answers[-1][0]
    assert listener.velocities(before=False) == {99}
