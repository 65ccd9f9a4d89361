"""Each note its own: chords that glide, curves given from one to many, a close-up, and what is taken home and heard."""

import io
import re
from typing import Any

import mido
import numpy as np
import pytest
from playwright.sync_api import expect

from demo.fog_signal import the_reed_loft
from expression.receiver import receive
from expression.receiver_document import as_document
from studio.services import takes
from tests.browser.desk import Desk, border
from tests.browser.test_sound import RATE, render
from tests.files import file_of, phrase

M = mido.Message


def shape_on(desk: Desk, lane: str) -> None:
    desk.act_on(lane)


def own(desk: Desk, lane: str, part: int = 0) -> dict[int, list[float]]:
    """The values of the nodes of each note with a curve, as the server has them."""
    for one in desk.api(f"lanes?part={part}")["own"]:
        if one["key"] == lane:
            ends = np.cumsum(one["count"])
            return {note: one["value"][end - count : end]
                    for note, end, count in zip(one["ids"], ends.tolist(), one["count"], strict=True)}  # fmt: skip
    return {}


def chords(*struck: tuple[int, ...], gap: int = 960) -> bytes:
    messages: list[Any] = []
    for chord in struck:
        messages += [M("note_on", note=pitch, velocity=80) for pitch in chord]
        messages += [M("note_off", note=pitch, time=0 if place else gap) for place, pitch in enumerate(chord)]
    return file_of(messages)


def test_a_progression_bends_chord_into_chord_and_comes_home_as_mpe(desk: Desk) -> None:
    desk.open(the_reed_loft())
    desk.press("Control+a")
    shape_on(desk, "note:pitch")
    desk.button("Chords glide").click()
    desk.entry("Apart (ms)").fill("150")
    desk.button("Keep").click()
    desk.expect_strokes("Chord into chord over 0.5 beats, up to 150 ms apart")
    view = desk.api("view")["parts"]
    # Eight chords of four are four voices now.
    assert len(view[0]["pitch"]) == 4 and view[0]["sent"]["zoned"]
    desk.press("Escape")
    expect(desk.page.get_by_test_id("sent")).to_contain_text("MPE")
    data = desk.download()
    heard = [note for note in as_document(receive(data))["notes"] if note["part"] == 0]
    assert sorted(round(note["pitch"] + note["bend"][-1][1]) for note in heard) == [50, 57, 62, 66]
    # Read back it is a take that looks the same.
    other = takes.add(desk.player, "back.mid", data)
    again = desk.page.request.get(f"/api/takes/{other.pk}/view").json()["parts"]
    assert again[0]["pitch"] == view[0]["pitch"] and again[0]["start"] == view[0]["start"]
    mine, theirs = (
        {lane["key"]: (lane["lowest"], lane["highest"]) for lane in part["lanes"]} for part in (view[0], again[0])
    )
    assert mine["note:pitch"] == pytest.approx(theirs["note:pitch"], abs=0.01)


def test_threads_are_seen_and_hung_elsewhere(desk: Desk) -> None:
    desk.open(chords((60, 64, 67), (62, 65, 69)))
    desk.press("Control+a")
    shape_on(desk, "note:pitch")
    with desk.page.expect_response(lambda answer: "preview" in answer.url) as waiting:
        desk.button("Chords glide").click()
    threads = waiting.value.json()["mark"]["threads"]
    assert [*zip(threads["pitch"], threads["reached"], strict=True)] == [(60, 62), (64, 65), (67, 69)]
    canvas, names = desk.box("Notes"), desk.api("view")["note_names"]

    def edge(pitch: int, x: float) -> float:
        """Where the row of a pitch begins, from above."""

        def reached(y: float) -> bool:
            desk.page.mouse.move(x, y)
            found = re.search(r"([A-G][♯♭]?-?\d)", desk.hint())
            assert found, desk.hint()
            return bool(names.index(found[1]) <= pitch)

        return border(("Notes", pitch, x), canvas["y"], canvas["y"] + canvas["height"], 0.5, reached)

    def ring(pitch: int, tick: int = 1920) -> tuple[float, float]:
        x = desk.x_at(tick)
        # In the middle of the row, however tall it is; away from the ring, where it is the row that is named.
        return x, (edge(pitch, x + 40) + edge(pitch - 1, x + 40)) / 2

    # The middle voice takes its own time: twice as long.
    with desk.page.expect_response(lambda answer: "preview" in answer.url):
        desk.drag(ring(65, 2400), ring(65, 2880))
    desk.quiet()
    # The ring of the lowest is dragged onto the highest note of the second chord: both change places.
    with desk.page.expect_response(lambda answer: "preview" in answer.url):
        desk.drag(ring(62), ring(69), release=False)
    desk.page.mouse.up()
    desk.quiet()
    desk.button("Keep").click()
    desk.expect_strokes("Chord into chord")
    ends = {note: values[-1] for note, values in own(desk, "note:pitch").items()}
    assert ends == {0: 9, 1: 1, 2: -5}
    kept = desk.api("view")["history"]["strokes"][-1]["stroke"]
    (voice,) = kept["voices"]
    assert (voice["note"], voice["time"], voice["lift"]) == (1, pytest.approx(1.0, abs=0.03), None)


def test_a_swell_is_drawn_once_and_given_to_twelve_every_other_upside_down(desk: Desk) -> None:
    desk.open(file_of(phrase([64] * 12)))
    desk.press("ArrowRight")
    shape_on(desk, "note:pressure")
    desk.button("There and back").click()
    desk.button("Keep").click()
    desk.expect_strokes("Note pressure 0 → 0")
    desk.press("Escape", "Control+a")
    desk.button("Give to others").click()
    desk.page.get_by_role("radiogroup", name="Every other upside down").get_by_role("radio", name="yes").click()
    desk.button("Keep").click()
    desk.expect_strokes("Note pressure 0 → 0", "Note pressure copied, every other turned")
    given = own(desk, "note:pressure")
    assert len(given) == 12
    assert [values[1] for values in given.values()] == [96.0, 31.0] * 6
    facts = desk.page.get_by_test_id("own-facts")
    desk.press("Escape", "Escape", "Control+a")
    expect(facts).to_contain_text("36 nodes of 12 notes")
    # The ends are scattered: each differently, and nothing else.
    desk.button("Scatter").click()
    desk.page.get_by_role("radiogroup", name="Nodes").get_by_role("radio", name="last").click()
    desk.button("Keep").click()
    desk.quiet()
    scattered = own(desk, "note:pressure")
    assert [values[1] for values in scattered.values()] == [96.0, 31.0] * 6
    # Half of them scatter up from nothing or down from the top, and some stay at the end of the range.
    assert len({round(values[2], 3) for values in scattered.values()}) >= 4


def test_pitch_is_drawn_on_the_note_itself(desk: Desk) -> None:
    desk.open(file_of(phrase([90], gap=1920)))
    desk.press("ArrowRight")
    shape_on(desk, "note:pitch")
    canvas = desk.box("Notes")
    x = desk.x_of(1, 2)
    # The ribbon is where the pointer meets the note.
    rows = np.arange(canvas["y"] + 4, canvas["y"] + canvas["height"], 2.0).tolist()

    def meets(y: float) -> bool:
        desk.page.mouse.move(x, y)
        return "velocity 90" in desk.hint()

    met = [y for y in rows if meets(y)]
    middle = (met[0] + met[-1]) / 2
    desk.drag((x, middle), (x, middle - 2.1 * (met[-1] - met[0])))
    desk.expect_strokes("Note pitch")
    (values,) = own(desk, "note:pitch").values()
    assert len(values) == 2 and values[0] == 0 and values[1] > 0
    # To a semitone, unless Alt lets go of them.
    assert values[1] == round(values[1])


def test_a_close_up_goes_from_note_to_note_by_keys(desk: Desk) -> None:
    desk.open(the_reed_loft())
    desk.press("ArrowRight", "c")
    close_up = desk.page.get_by_role("region", name="Lanes of the close-up")
    expect(close_up.locator("[data-lane]")).to_have_count(4)
    first = desk.facts()
    desk.press("ArrowRight")
    desk.until(lambda: desk.facts() == first or True)
    expect(close_up).to_be_visible()
    desk.press("Escape")
    expect(close_up).to_have_count(0)
    expect(desk.page.get_by_text("Add a lane …")).to_be_visible()


def test_how_a_part_is_sent_and_what_is_lost_is_said(desk: Desk) -> None:
    desk.open(chords((60, 64)))
    curve = {
        "lane": "note:pitch",
        "nodes": [{"at": 0, "value": 0}, {"at": 1, "value": 3}],
        "where": {"notes": [[0, 0]]},
    }
    desk.keep({"kind": "note.curve", **curve})
    desk.keep({"kind": "note.send", "as": "plain", "where": {"parts": [0]}})
    shape_on(desk, "note:pitch")
    fault = desk.page.get_by_test_id("unplayed").filter(has_text="cannot be heard as drawn")
    expect(fault).to_be_visible()
    assert {message.channel for message in mido.MidiFile(file=io.BytesIO(desk.download())) if not message.is_meta} == {
        0
    }
    fault.get_by_role("button", name="Send as MPE").click()
    desk.quiet()
    assert desk.api("view")["parts"][0]["sent"]["zoned"]


def test_each_voice_of_a_gliding_chord_sounds_at_its_pitch(desk: Desk) -> None:
    """Within 5 cents, at three moments: before, in the middle of the way, and after."""
    struck, reached = (45, 60, 74), (48, 58, 79)
    desk.open(chords(struck, reached))
    desk.keep({"kind": "note.glide", "time": 1.0, "ease": 0.0})
    sound = render(desk, end=2.0, patch="bowed glass")

    def cents(moment: float, pitch: float) -> float:
        wide = RATE // 5
        middle = int(moment * RATE)
        piece = sound[middle - wide // 2 : middle + wide // 2] * np.hanning(wide)
        spectrum = np.abs(np.fft.rfft(piece, 1 << 18))
        hertz = 440 * 2 ** ((pitch - 69) / 12)
        first, last = (int(hertz * 2 ** (off / 12) * (1 << 18) / RATE) for off in (-0.5, 0.5))
        peak = first + int(spectrum[first:last].argmax())
        a, b, c = np.log(spectrum[peak - 1 : peak + 2])
        exact = peak + 0.5 * (a - c) / (a - 2 * b + c)
        return float(1200 * np.log2(exact * RATE / (1 << 18) / hertz))

    # 960 ticks of 480 a quarter at 120 a minute: the second chord was struck after 1 s; on the way for half a second.
    for moment, share in ((0.6, 0.0), (1.8, 1.0)):
        for low, high in zip(struck, reached, strict=True):
            assert abs(cents(moment, low + share * (high - low))) < 5
    heard = as_document(receive(desk.download()))["notes"]
    for note, low, high in zip(sorted(heard, key=lambda one: one["pitch"]), struck, reached, strict=True):
        when, bend = np.array(note["bend"]).T
        middle = float(bend[np.searchsorted(when, 1.25, side="right") - 1])
        assert middle == pytest.approx((high - low) / 2, abs=0.03)
