"""A take goes out in every form, in one place, and what will not sound as drawn is told before it does."""

import io
import re
import time
import wave
import zipfile
from pathlib import Path

import mido
import numpy as np
from playwright.sync_api import Download, Locator, Route, expect

from expression.midi.read import read
from expression.midi.write import write
from tests.browser.desk import Desk
from tests.browser.test_lanes import add_lane
from tests.browser.test_sound import render
from tests.files import file_of, phrase

TWO = file_of(phrase([80] * 16, gap=480), phrase([70] * 16, gap=480, channel=1, pitch=48))
PANE = "Take it home"


def pane(desk: Desk, data: bytes = TWO) -> Locator:
    desk.open(data, "Two.mid")
    desk.page.get_by_label("Take it home in another form").click()
    return desk.page.get_by_role("region", name=PANE)


def taken(desk: Desk, key: Locator) -> tuple[str, bytes]:
    """What a key hands over: its name, and what it holds."""
    with desk.page.expect_download(timeout=60_000) as waiting:
        key.click()
    return waiting.value.suggested_filename, Path(waiting.value.path()).read_bytes()


def timbre(data: bytes) -> list[int]:
    tracks = mido.MidiFile(file=io.BytesIO(data)).tracks
    return [message.value for track in tracks for message in track if message.is_cc(74)]


def samples(data: bytes) -> np.ndarray:
    with wave.open(io.BytesIO(data)) as file:
        assert (file.getnchannels(), file.getsampwidth(), file.getframerate()) == (2, 2, 44_100)
        return np.frombuffer(file.readframes(file.getnframes()), np.int16).reshape(-1, 2) / 32_767


def test_a_take_goes_out_in_every_form(desk: Desk) -> None:
    out = pane(desk)
    midi = out.get_by_role("link", name="Take the MIDI file")
    assert taken(desk, midi) == ("Two.mid", write(read(TWO)))
    out.get_by_label("Tracks").select_option("all in one (format 0)")
    name, data = taken(desk, midi)
    assert name == "Two, one track.mid"
    assert mido.MidiFile(file=io.BytesIO(data)).type == 0
    out.get_by_label("Tracks").select_option("as they came")
    out.get_by_label("Form").select_option("MIDI 2.0 clip")
    name, data = taken(desk, out.get_by_role("link", name="Take the clip"))
    assert (name, data[:8]) == ("Two.midi2", b"SMF2CLIP")
    out.get_by_label("Form").select_option("as its parts are sent")
    desk.span(2, 3)
    out.get_by_label("Parts").select_option("the one in front")
    out.get_by_label("Bars").select_option("the chosen span")
    name, data = taken(desk, midi)
    assert re.fullmatch(r"Two, .+, bars? 2( to \d)?\.mid", name)
    assert sum(m.type == "note_on" for track in mido.MidiFile(file=io.BytesIO(data)).tracks for m in track) == 4
    for words, begins in (("MusicXML", b"<?xml"), ("SVG", b"<svg"), ("PDF", b"%PDF")):
        name, data = taken(desk, out.get_by_role("link", name=words).first)
        assert begins in data[:400], name
    name, data = taken(desk, out.get_by_role("link", name="PDF").last)
    assert (name, data[:4]) == ("Two, what was done.pdf", b"%PDF")


def test_what_was_done_a_moment_ago_is_in_the_file(desk: Desk) -> None:
    """What is being written, and what is tried and not kept yet."""
    desk.open(file_of(phrase([64] * 4)))
    add_lane(desk, "74", "cc:74")
    desk.button("Ramp").click()
    held: list[Route] = []
    desk.page.route("**/strokes", lambda route: held.append(route))
    desk.entry("Start").fill("21")
    desk.entry("Start").press("Enter")
    desk.until(lambda: held)
    with desk.page.expect_download() as waiting:
        desk.page.get_by_role("link", name="Download .mid").click()
        desk.page.wait_for_timeout(300)
        held[0].continue_()
        desk.page.unroute("**/strokes")
    assert timbre(Path(waiting.value.path()).read_bytes())[0] == 21
    desk.entry("Start").press("ArrowUp")
    assert timbre(desk.download())[0] == 22


def test_it_goes_out_as_it_sounds_here_the_same_bytes_each_time(desk: Desk) -> None:
    out = pane(desk)
    name, data = taken(desk, out.get_by_role("button", name="WAV"))
    assert name == "Two.wav"
    assert taken(desk, out.get_by_role("button", name="WAV"))[1] == data
    heard = samples(data)
    assert 8.0 < len(heard) / 44_100 < 11
    # What the audio worklet itself makes of the same bytes.
    patches = [part["patch"] for part in desk.api("view")["parts"]]
    live = render(desk, end=7.5, patch=patches[0], patches=patches)
    both = heard.mean(axis=1)[: len(live)]
    assert np.corrcoef(both, live)[0, 1] > 0.999
    came: list[Download] = []
    desk.page.on("download", lambda one: came.append(one))
    out.get_by_role("button", name="each part alone").click()
    desk.until(lambda: len(came) == 2)
    assert len({one.suggested_filename for one in came}) == 2
    one, other = (samples(Path(file.path()).read_bytes()) for file in came)
    # Both together press against the same soft ceiling, and are nearly their sum.
    assert np.corrcoef((one + other)[:, 0], heard[:, 0])[0, 1] > 0.98


def test_all_of_it_in_one_archive(desk: Desk) -> None:
    out = pane(desk)
    out.get_by_label("With its sound").check()
    name, data = taken(desk, out.get_by_role("button", name="All forms as one archive"))
    assert name == "Two, all forms.zip"
    held = zipfile.ZipFile(io.BytesIO(data))
    assert held.testzip() is None
    names = held.namelist()
    assert {"Two.mid", "Two, MPE.mid", "Two.midi2", "Two.musicxml", "Two, what was done.pdf", "Two.wav"} <= set(names)
    assert held.read("Two.mid") == write(read(TWO))
    assert len(samples(held.read("Two.wav")))


def test_an_archive_that_was_asked_for_waits_where_the_page_was_closed(desk: Desk) -> None:
    out = pane(desk)
    key = out.get_by_role("button", name="All forms as one archive")

    def slowly(route: Route) -> None:
        if route.request.method == "DELETE":
            time.sleep(0.5)
        route.continue_()

    desk.page.route("**/api/jobs/*", slowly)
    name, data = taken(desk, key)
    assert (name, zipfile.ZipFile(io.BytesIO(data)).testzip()) == ("Two, all forms.zip", None)
    # What was handed over is not offered once more, however late it is forgotten.
    expect(key).to_be_visible()
    expect(out.get_by_role("button", name="made before")).to_have_count(0)
    desk.page.unroute("**/api/jobs/*")
    # The page goes while it is being made.
    with desk.page.expect_response("**/forms"):
        key.click()
    desk.reopen()
    desk.page.get_by_label("Take it home in another form").click()
    before = out.get_by_role("button", name=re.compile("before"))
    expect(before).to_be_visible()
    name, again = taken(desk, before)
    assert (name, zipfile.ZipFile(io.BytesIO(again)).testzip()) == ("Two, all forms.zip", None)


def test_what_will_not_sound_as_drawn_is_told_with_the_click_that_helps(desk: Desk) -> None:
    out = pane(desk)
    expect(out.get_by_text("All of it sounds as drawn in this form.")).to_be_visible()
    expect(out.get_by_text(re.compile(r"The cable: at most \d+ of 3,125"))).to_be_visible()
    desk.keep({"kind": "lane.ramp", "lane": "bend", "where": {"parts": [0], "span": [0, 3840]}, "start": 0, "end": 7})
    desk.page.get_by_label("Take it home in another form").click()
    lost = out.get_by_role("list", name="What will not sound as drawn")
    expect(lost.get_by_role("listitem")).to_have_count(1)
    lost.get_by_role("button").last.click()
    expect(out.get_by_text("All of it sounds as drawn in this form.")).to_be_visible()


def test_a_rendering_can_be_given_up(desk: Desk) -> None:
    out = pane(desk, file_of(phrase([80] * 900, gap=480)))
    out.get_by_role("button", name="WAV").click()
    out.get_by_role("button", name="Stop").click()
    expect(out.get_by_role("button", name="WAV")).to_be_enabled()
    expect(out.get_by_role("alert")).to_have_count(0)


def test_a_take_comes_back_changed_and_is_taken_in_part(desk: Desk, tmp_path: Path) -> None:
    out = pane(desk)
    _, data = taken(desk, out.get_by_role("link", name="Take the MIDI file"))
    file = mido.MidiFile(file=io.BytesIO(data))
    for message in file.tracks[0]:
        if message.type == "note_on" and message.velocity:
            message.velocity = 33
    file.tracks[0].insert(0, mido.Message("control_change", control=11, value=50, time=0))
    changed = tmp_path / "changed.mid"
    file.save(changed)
    bring = out.get_by_label("It comes back changed …")
    bring.set_input_files(changed)
    desk.page.get_by_role("group", name="Bring").get_by_label("Expression").uncheck()
    desk.button("Keep").click()
    desk.expect_strokes("Back from elsewhere: 16 notes, 1 lane")
    desk.quiet()
    assert desk.velocities() == [33] * 16
    assert "cc:11" not in {lane["key"] for lane in desk.api("lanes?part=0")["lanes"]}
    bring.set_input_files(Path(changed))
    expect(desk.page.get_by_role("heading", name="Back from elsewhere")).to_be_visible()
    desk.press("Escape")
    other = tmp_path / "other.mid"
    other.write_bytes(file_of(phrase([80] * 30, gap=480, pitch=90)))
    bring.set_input_files(other)
    expect(out.get_by_role("alert")).to_contain_text("This is other music")
