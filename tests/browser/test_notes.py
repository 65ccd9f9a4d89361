"""Notes by mouse and keys: put in, moved, doubled, longer, split, joined, muted, deleted; strums, runs and cues."""

import base64
import itertools
import re

import mido
from playwright.sync_api import expect

from demo.fog_signal import the_rope_locker, the_stair
from expression.receiver import receive
from tests.browser.desk import Desk
from tests.files import NOTE, file_of, phrase

BAR, BEAT = 3840, 960
SLOW = 700
"""Milliseconds after which keys that follow one another have made a stroke."""


def row(desk: Desk, name: str, x: float) -> float:
    """The middle of the row of a pitch, found by hovering down the ribbons."""
    notes = desk.box("Notes")
    found = []
    y = notes["y"] + 2
    while y < notes["y"] + notes["height"] - 1:
        desk.page.mouse.move(x, y)
        if re.match(rf"\d+:\d+\s+(.*, )?{re.escape(name)}\b", desk.hint()):
            found.append(y)
        elif found:
            break
        y += 2
    assert found, f"no row {name}"
    return sum(found) / len(found)


def heard(desk: Desk, part: int = 0) -> list[tuple[int, int, int, int]]:
    """(start, end, pitch, velocity) of the notes of a part, in ticks of 960 a beat, as a receiver has them."""
    data = desk.download()
    factor = BEAT // receive(data).division
    return sorted(
        (one.start * factor, one.key_up * factor, one.pitch, one.velocity)
        for one in receive(data).notes
        if one.part == part
    )


def line(*pitches: int) -> bytes:
    """A quarter each, of which half is held."""
    return file_of([one.copy(note=pitches[at // 2]) for at, one in enumerate(phrase([80] * len(pitches)))])


LATE = [NOTE("note_on", note=72, velocity=64, time=480 * 20), NOTE("note_off", note=72, time=240)]
QUIET = file_of([*phrase([80], pitch=60), *LATE])
"""A note at the beginning, and one in bar 6."""


def put(desk: Desk, bar: int, beat: int, name: str, right: float, up: float) -> None:
    """One movement: from where a note is to begin, so far to the right and so far up."""
    x = desk.x_of(bar, beat) + 1
    y = row(desk, name, x)
    desk.page.keyboard.down("Control")
    desk.drag((x, y), (x + right, y), (x + right, y - up), release=False)
    expect(desk.page.get_by_test_id("tip")).to_contain_text(name)
    desk.page.mouse.up()
    desk.page.keyboard.up("Control")


def test_three_notes_each_with_length_and_velocity_in_one_movement(desk: Desk) -> None:
    desk.open(QUIET)
    beat = desk.x_of(3) - desk.x_of(2, 4)
    put(desk, 2, 1, "E4", beat, 30)
    desk.expect_strokes("Note E4 put in")
    put(desk, 2, 3, "G4", 2 * beat, -20)
    put(desk, 3, 1, "C5", 3 * beat, 0.4)
    desk.expect_strokes("Note E4 put in", "Note G4 put in", "Note C5 put in")
    made = [one for one in heard(desk) if BAR <= one[0] < 4 * BAR]
    assert [(start, end, pitch) for start, end, pitch, _ in made] == [
        (BAR, BAR + BEAT, 64), (BAR + 2 * BEAT, 2 * BAR, 67), (2 * BAR, 2 * BAR + 3 * BEAT, 72),
    ]  # fmt: skip
    # From the velocity of the note before: harder upwards, softer downwards.
    forces = [velocity for *_, velocity in made]
    assert forces[0] > 95 and forces[1] < forces[0] - 10


def test_what_is_being_put_in_is_corrected_before_it_is_let_go_and_a_mere_press_puts_in_nothing(desk: Desk) -> None:
    desk.open(QUIET)
    desk.press("d")
    x, y = desk.x_of(2) + 1, row(desk, "E4", desk.x_of(2) + 1)
    desk.page.mouse.click(x, y)
    desk.quiet()
    assert desk.strokes.count() == 0
    beat = desk.x_of(3) - desk.x_of(2, 4)
    # With Shift the note itself goes with the hand: a beat later; then it is made two beats long.
    desk.drag((x, y), (x + beat, y), release=False)
    desk.page.keyboard.down("Shift")
    desk.page.mouse.move(x + 2 * beat, y, steps=5)
    desk.page.keyboard.up("Shift")
    desk.page.mouse.move(x + 3 * beat, y, steps=5)
    expect(desk.page.get_by_test_id("tip")).to_contain_text("2:2 E4, 2 beats")
    desk.press("Escape")
    desk.page.mouse.up()
    desk.quiet()
    assert desk.strokes.count() == 0
    assert len(heard(desk)) == 2


def test_chosen_notes_are_dragged_doubled_and_made_longer(desk: Desk) -> None:
    desk.open(line(60, 62, 64, 65, 60, 62, 64, 65))
    x = desk.x_at(BEAT + 240)
    y = row(desk, "D4", x)
    desk.page.mouse.click(x, y)
    beat = desk.x_of(2) - desk.x_of(1, 4)
    up = y - row(desk, "E4", x)
    desk.drag((x, y), (x + beat, y), (x + beat, y - 2 * up))
    desk.expect_strokes("Notes moved up 4 keys in time")
    assert (2 * BEAT, 2 * BEAT + 480, 66, 80) in heard(desk)
    desk.button("Undo").click()
    desk.quiet()
    # A copy, with Ctrl held.
    desk.page.mouse.click(x, y)
    desk.page.keyboard.down("Control")
    desk.drag((x, y), (x + 2 * beat, y))
    desk.page.keyboard.up("Control")
    desk.expect_strokes("1 note copied")
    assert [one[0] for one in heard(desk) if one[2] == 62] == [BEAT, 3 * BEAT, 5 * BEAT]
    desk.button("Undo").click()
    desk.quiet()
    # The ends of two notes at once, by as much as the one that is held.
    desk.page.mouse.click(x, y)
    other = desk.x_at(5 * BEAT + 240)
    desk.page.keyboard.down("Shift")
    desk.page.mouse.click(other, row(desk, "D4", other))
    desk.page.keyboard.up("Shift")
    end = desk.x_at(BEAT + 480) - 2
    desk.page.mouse.move(end, y)
    desk.expect_hint("drag to move the end of all that are chosen")
    desk.drag((end, y), (end + beat / 2 + 3, y))
    desk.expect_strokes("Lengths +0.5 beats")
    assert [one[:2] for one in heard(desk) if one[2] == 62] == [(BEAT, 2 * BEAT), (5 * BEAT, 6 * BEAT)]


def test_by_keys_alone(desk: Desk) -> None:
    desk.open(line(60, 62, 64, 65))
    desk.canvas("Notes").focus()
    desk.press("ArrowRight", "Control+ArrowRight", "Control+ArrowRight", "Control+ArrowUp", "Control+Shift+ArrowUp")
    desk.page.wait_for_timeout(SLOW)
    desk.expect_strokes("Notes moved up 13 keys in time")
    assert (2 * BEAT, 2 * BEAT + 480, 73, 80) in heard(desk)
    desk.press("Escape", "ArrowRight", "Control+Shift+ArrowRight")
    desk.page.wait_for_timeout(SLOW)
    desk.expect_strokes("Notes moved", "Lengths +1 beat")
    desk.press("Escape", "m", "Enter")
    desk.expect_strokes("Notes moved", "Lengths", "Notes muted")
    assert len(heard(desk)) == 3
    desk.press("Escape", "m")
    # What is only tried is kept by what comes next.
    desk.press("Delete")
    desk.expect_strokes("Notes moved", "Lengths", "Notes muted", "Notes heard again")
    desk.press("Enter")
    desk.expect_strokes("Notes moved", "Lengths", "Notes muted", "Notes heard again", "Notes deleted")
    assert len(heard(desk)) == 3
    desk.press("Control+z")
    desk.quiet()
    assert len(heard(desk)) == 4


def test_split_at_the_pointer_and_joined_again(desk: Desk) -> None:
    held = [NOTE("note_on", note=60, velocity=80), NOTE("note_off", note=60, velocity=64, time=480 * 4)]
    desk.open(file_of([*held, *phrase([64] * 4, pitch=72)]))
    before = heard(desk)
    x = desk.x_of(1, 3) + 1
    desk.page.mouse.move(x, row(desk, "C4", x))
    desk.press("x")
    desk.expect_strokes("Notes split")
    assert [one[:2] for one in heard(desk) if one[0] < BAR] == [(0, 2 * BEAT), (2 * BEAT, BAR)]
    # Both pieces are chosen: one key makes them whole.
    expect(desk.page.get_by_test_id("facts")).to_contain_text("1 note")
    desk.press("Escape", "Control+a", "o", "Enter")
    desk.expect_strokes("Notes split", "Notes joined")
    assert heard(desk) == before


def test_a_join_across_a_rest_says_what_would_do(desk: Desk) -> None:
    desk.open(line(60, 60, 64, 65))
    desk.press("Control+a", "o")
    shape = desk.page.get_by_role("region", name="Shape")
    expect(shape.get_by_role("alert")).to_contain_text("There is a rest of 0.5 beats between these notes.")
    desk.button("Take 0.5").click()
    desk.button("Keep").click()
    desk.expect_strokes("Notes joined")
    assert heard(desk)[0][:3] == (0, BEAT + 480, 60)


def test_a_note_by_its_numbers(desk: Desk) -> None:
    desk.open(line(60, 62, 64, 65))
    desk.press("n")
    for label, value in (("Bar", "2"), ("Beat", "3"), ("Beats", "1.5"), ("Velocity", "33")):
        desk.entry(label).fill(value)
        desk.entry(label).press("Tab")
    desk.page.get_by_label(re.compile("^Key ")).fill("67")
    desk.button("Keep").click()
    desk.expect_strokes("Note G4 put in")
    assert (BAR + 2 * BEAT, BAR + 2 * BEAT + 1440, 67, 33) in heard(desk)


def test_a_chord_is_strummed_and_the_page_does_not_move(desk: Desk) -> None:
    desk.open(the_stair())
    desk.page.get_by_role("button", name="Reed box").first.click()
    desk.press("q")
    sheet = desk.page.get_by_test_id("sheet")
    expect(sheet.locator("g.note").first).to_be_visible()
    desk.quiet()
    page = desk.api("page?parts=1&first=1&count=4")["svg"]
    desk.span(1, 3)
    desk.button("Strum").click()
    desk.entry("Each (ms)").fill("45")
    desk.button("Keep").click()
    desk.expect_strokes("Strummed up, 45 ms each")
    desk.quiet()
    off = desk.api("view")["parts"][1]["off_page"]
    assert sum(last - first + 1 for first, last in off["row"]) >= 6
    again = desk.api("page?parts=1&first=1&count=4")["svg"]
    assert re.findall(r'class="(?:note|rest|stem)[^"]*"', again) == re.findall(r'class="(?:note|rest|stem)[^"]*"', page)
    chord = sorted(one for one in heard(desk, 1) if one[0] < BEAT)
    starts = [one[0] for one in chord]
    steps = [after - before for before, after in itertools.pairwise(starts)]
    # At 76 a minute 45 ms are 55 ticks.
    assert len(steps) == 3 and max(abs(step - 54.7) for step in steps) < 1.5
    assert [one[2] for one in chord] == sorted(one[2] for one in chord)


def test_a_run_is_filled(desk: Desk) -> None:
    desk.open(the_rope_locker())
    before = desk.api("view")["parts"][0]
    desk.canvas("Notes").focus()
    desk.press("ArrowRight")
    desk.button("Fill a run").click()
    desk.page.get_by_label("Through", exact=True).select_option("scale")
    desk.page.get_by_label("Root of the scale").select_option("5")
    desk.entry("Beats").fill("1.5")
    desk.button("Keep").click()
    desk.expect_strokes("Run through a scale")
    desk.quiet()
    after = desk.api("view")["parts"][0]
    run = sorted(set(after["pitch"]) - set(before["pitch"]))
    assert len(after["pitch"]) > len(before["pitch"]) + 15
    assert {pitch % 12 for pitch in run} <= {0, 2, 4, 5, 7, 9, 10}
    # Heard, and not written.
    hidden = after["off_page"]["nowhere"]
    assert sum(last - first + 1 for first, last in hidden) == len(after["pitch"]) - len(before["pitch"])


def test_cues_are_made_named_and_sent_first_where_play_begins_in_the_middle(desk: Desk) -> None:
    desk.open(the_rope_locker())
    desk.page.get_by_role("button", name="Reed box").first.click()
    for key in (24, 26, 28):
        desk.keep({"kind": "notes.cue", "where": {"parts": [1], "pitches": [key]}})
    desk.page.get_by_role("button", name="Reed box").first.click()
    strip = desk.page.get_by_role("region", name="Cues")
    first = strip.get_by_role("button").first
    expect(first).to_have_text("C1")
    first.click()
    desk.page.get_by_label("What the key calls up").fill("open")
    desk.page.get_by_label("What the key calls up").press("Enter")
    desk.expect_strokes("Notes as cues", "Notes as cues", "Notes as cues", "Notes as cues called open")
    expect(first).to_have_text("open")
    desk.press("Escape")
    # Play from bar 4, at ten seconds: the second was called up last, and is struck before all else.
    asked = desk.api("messages?start=10&end=11&chase=true")
    messages = mido.parse_all(base64.b64decode(asked["bytes"]))
    struck = next(one for one in messages if one.type == "note_on")
    assert struck.note == 26
    # Put in by a press in the strip; taken away by a key.
    count = strip.get_by_role("button").count()
    box = strip.bounding_box()
    assert box is not None
    desk.page.mouse.click(desk.x_of(2, 2) + 1, box["y"] + 14)
    expect(strip.get_by_role("button")).to_have_count(count + 1)
    assert any(cue["start"] == BAR + BEAT for cue in desk.api("view")["parts"][1]["cues"])
    strip.get_by_role("button").nth(1).focus()
    desk.press("Delete")
    expect(strip.get_by_role("button")).to_have_count(count)
    # They are left out of what is chosen.
    desk.press("Control+a")
    music = len(desk.api("view")["parts"][1]["pitch"])
    expect(desk.page.get_by_test_id("facts")).to_contain_text(f"{music} notes")


def test_the_page_shows_pedal_into_lengths_before_and_after_and_its_heads_choose_ribbons(desk: Desk) -> None:
    pedal = [NOTE("control_change", control=64, value=value, time=time) for value, time in ((127, 10), (0, 1890))]
    merged = mido.merge_tracks([mido.MidiTrack(phrase([80] * 3)), mido.MidiTrack(pedal)])
    desk.open(file_of([one for one in merged if not one.is_meta]))
    desk.button("Page").click()
    sheet = desk.page.get_by_test_id("sheet")
    expect(sheet.locator("svg g.note")).to_have_count(3)
    expect(sheet.locator("svg g.pedal").first).to_be_attached()
    sheet.locator("#n1 .notehead").click()
    expect(desk.page.get_by_test_id("facts")).to_contain_text("1 note")
    expect(sheet.locator("#n1")).to_have_class(re.compile("is-chosen"))
    desk.canvas("Notes").focus()
    desk.press("ArrowRight")
    expect(sheet.locator("#n2")).to_have_class(re.compile("is-chosen"))
    expect(sheet.locator("#n1")).not_to_have_class(re.compile("is-chosen"))
    rests = sheet.locator("svg g.rest")
    before = rests.count()
    desk.press("Escape")
    desk.act_on("cc:64")
    desk.button("Into lengths").click()
    desk.button("Keep").click()
    desk.expect_strokes("Pedal into lengths")
    # What the foot held is written out: no sign of the pedal, and fewer rests.
    expect(sheet.locator("svg g.pedal")).to_have_count(0)
    assert rests.count() < before
    desk.button("Before").click()
    expect(sheet.locator("svg g.pedal").first).to_be_attached()
    desk.button("After").click()
    expect(sheet.locator("svg g.pedal")).to_have_count(0)


def test_the_hands_part_on_the_page_where_the_player_says_and_the_take_keeps_it(desk: Desk) -> None:
    desk.open(file_of(phrase([64] * 8, pitch=72)))
    desk.button("Page").click()
    clefs = desk.page.get_by_test_id("sheet").locator("svg g.clef")
    expect(clefs).to_have_count(1)
    desk.page.get_by_label("Hands part at").select_option("74")
    expect(clefs).to_have_count(2)
    desk.quiet()
    desk.page.reload()
    desk.button("Page").click()
    expect(clefs).to_have_count(2)
    desk.page.get_by_label("Hands part at").select_option(label="as it lies")
    expect(clefs).to_have_count(1)


def test_under_the_notes_travels_or_stays(desk: Desk) -> None:
    desk.open(file_of([*phrase([80, 70, 60, 50]), NOTE("control_change", control=1, value=99, time=0)]))
    expect(desk.page.get_by_role("radio", name="travels along")).to_be_checked()
    desk.press("Control+a", "Escape")
    desk.canvas("Notes").focus()
    desk.press("ArrowRight")
    desk.button("Move").click()
    desk.button("Keep").click()
    desk.button("Done").click()
    desk.page.get_by_role("radio", name="stays").click()
    desk.button("Move").click()
    desk.button("Keep").click()
    desk.quiet()
    assert [one["stroke"]["under"] for one in desk.api("view")["history"]["strokes"]] == [True, False]
