"""What faults put in at random have shown to be held by no test: counts, edges, names, other receivers."""

import itertools

import mido
import numpy as np
import pytest

from expression import views
from expression.chords import chord_onsets
from expression.clip_receiver import receive_clip
from expression.errors import BadFile
from expression.history import History, Shaped, applied
from expression.lanes import LANES
from expression.limits import MOST_FILE_BYTES
from expression.midi import smf
from expression.midi.clip_read import read_clip
from expression.midi.clip_write import write_clip
from expression.midi.files import saved
from expression.midi.read import read
from expression.midi.zoning import as_zone
from expression.receiver import receive
from expression.receiver_document import as_document
from expression.staff.musicxml import musicxml
from expression.staff.notation import written
from expression.strokes import parse_stroke
from expression.views.looks import patch
from tests.expression.test_notes_edited import notes
from tests.files import NOTE, file_of, phrase

LINE = file_of(phrase([80] * 8))


def control(number: int, value: int, time: int = 0, channel: int = 0) -> mido.Message:
    return NOTE("control_change", control=number, value=value, time=time, channel=channel)


def test_a_file_of_exactly_the_most_is_not_too_large() -> None:
    with pytest.raises(BadFile, match="not a Standard MIDI File"):
        smf.parse(bytes(MOST_FILE_BYTES))
    with pytest.raises(BadFile, match="MiB; Lull reads up to"):
        smf.parse(bytes(MOST_FILE_BYTES + 1))


@pytest.mark.parametrize(("end", "place"), [(3961, "bars 1–2"), (3960, "bar 1")])
def test_the_bars_of_a_mark_go_to_where_it_ends(end: int, place: str) -> None:
    said = {"kind": "lane.ramp", "lane": "cc:11", "start": 10, "end": 90, "where": {"parts": [0], "span": [0, end]}}
    assert views.strokes.mark(read(LINE), parse_stroke(said))["place"] == place


def test_only_system_on_resets_a_module() -> None:
    other = NOTE("sysex", data=(0x7E, 0x7F, 0x06, 0x01), time=240)
    system = NOTE("sysex", data=(0x7E, 0x7F, 0x09, 0x01), time=240)
    for message, held in ((other, 5.0), (system, 127.0)):
        heard = receive(file_of([control(11, 5), message, *phrase([80])]))
        (channel,) = heard.channels.values()
        assert float(channel.controllers[11].at(heard.end)) == held


def test_a_note_that_ends_where_its_key_is_struck_again_is_not_cut() -> None:
    take = read(file_of(notes((0, 480, 60, 80), (480, 960, 60, 80))))
    assert parse_stroke({"kind": "notes.move", "ticks": 0, "where": {"parts": [0]}}).also(take) == ""
    longer = parse_stroke({"kind": "notes.length", "by": 0.01, "where": {"parts": [0], "notes": [[0, 0]]}})
    assert longer.also(take) != ""


def test_a_clip_has_its_pedal_and_its_metre() -> None:
    metre = mido.MetaMessage("time_signature", numerator=3, denominator=64)
    take = read(file_of([metre, control(64, 127), *phrase([80]), control(64, 0, time=960)]))
    told = receive_clip(write_clip(take))["notes"]
    plain = as_document(receive(saved(take)))["notes"]
    assert [round(one["end"], 4) for one in told] == [round(one["end"], 4) for one in plain]
    assert told[0]["end"] > told[0]["key_up"]
    again = read_clip(write_clip(take))
    assert (again.meter.beats.tolist(), again.meter.beat_ticks.tolist()) == ([3], [again.resolution // 16])


def test_members_of_an_upper_zone_are_one_after_another() -> None:
    setup = [control(number, value, channel=15) for number, value in ((101, 0), (100, 6), (6, 3))]
    struck = [
        message
        for channel in (14, 13, 12)
        for message in (
            NOTE("note_on", channel=channel, note=60 + channel, velocity=80),
            NOTE("pitchwheel", channel=channel, pitch=4096, time=10),
        )
    ]
    ends = [NOTE("note_off", channel=channel, note=60 + channel, time=100) for channel in (14, 13, 12)]
    heard = as_document(receive(file_of([*setup, *struck, *ends])))["notes"]
    assert len(heard) == 3
    assert {one["part"] for one in heard} == {0}
    assert all(abs(one["bend"][-1][1] - 24) < 0.01 for one in heard)


@pytest.mark.parametrize(("channels", "manager"), [((1, 2, 3), 0), ((14, 13, 12), 15), ((15, 14, 13), None)])
def test_which_zone_a_recording_looks_like(channels: tuple[int, ...], manager: int | None) -> None:
    tracks = []
    for channel in channels:
        bent = [NOTE("pitchwheel", channel=channel, pitch=100 * step, time=20) for step in range(4)]
        tracks.append([*phrase([80] * 3, channel=channel), *bent])
    take = read(file_of(*tracks))
    assert take.looks_zoned == (manager is not None)
    if manager is not None:
        assert {part.channel.number for part in read(as_zone(file_of(*tracks))).parts} == {manager}


def test_names_of_curves_of_notes() -> None:
    assert [LANES[key].name for key in ("note:pitch", "note:pressure", "note:timbre", "note:pan", "note:cc:1")] == [
        "Note pitch", "Note pressure", "Note timbre", "Note pan", "Note mod wheel",
    ]  # fmt: skip


def test_a_fine_half_of_bank_select_counts_too() -> None:
    heard = receive(file_of([control(0, 1), control(32, 64), *phrase([80])]))
    (channel,) = heard.channels.values()
    assert float(channel.controllers[0].at(heard.end)) == 1.5


@pytest.mark.parametrize(("value", "is_left"), [(64, True), (63, False)])
def test_a_pedal_is_down_from_64_on(value: int, is_left: bool) -> None:
    take = read(file_of([*phrase([80] * 4), control(64, 127), control(64, value, time=10)]))
    left = [one for one in views.faults.faults(take) if one["reason"] == "left down"]
    assert bool(left) == is_left


def test_a_part_of_one_note_is_struck_and_one_of_long_ones_held() -> None:
    one = read(file_of(notes((0, 9600, 60, 80)))).parts[0]
    held = read(file_of(notes((0, 9600, 60, 80), (480, 9600, 64, 80)))).parts[0]
    assert patch(one) != patch(held)


def test_percussion_is_written_without_a_key() -> None:
    drums = file_of([mido.MetaMessage("key_signature", key="D")], phrase([80] * 4, channel=9, pitch=36))
    take = read(drums)
    text = musicxml(written(take, [0], 1, 1))
    assert "<fifths>0</fifths>" in text
    lead = read(file_of([mido.MetaMessage("key_signature", key="D")], phrase([80] * 4)))
    assert "<fifths>2</fifths>" in musicxml(written(lead, [0], 1, 1))


@pytest.mark.parametrize(("ids", "label"), [([[0, 0]], "1 note copied"), ([[0, 1]], "2 notes copied"), (None, "Notes")])
def test_how_many_notes_are_copied(ids: list[list[int]] | None, label: str) -> None:
    where = {"parts": [0], **({"notes": ids} if ids else {})}
    said = parse_stroke({"kind": "notes.copy", "to": {"at": 20_000}, "where": where})
    assert said.label().startswith(label)


def test_what_can_be_done_again_is_told_once() -> None:
    history = History()
    for by in (1, 2, 3):
        history = history.add(parse_stroke({"kind": "velocity.nudge", "by": by}))
    shaped = Shaped.of(read(LINE), history)
    undone = shaped.with_history(history.undo())
    twice = undone.with_history(undone.history.undo())
    told = views.strokes.history_change(undone, twice)
    assert (told["still_undone"], [one["step"] for one in told["undone"]]) == (1, [2])
    assert (told["can_undo"], told["can_redo"]) == (1, 2)
    again = views.strokes.history_change(twice, twice.with_history(twice.history.redo()))
    assert (again["still_undone"], again["undone"]) == (1, [])


def test_what_is_lost_in_a_clip_is_counted_in_words() -> None:
    texts = [mido.MetaMessage("text", text="a"), mido.MetaMessage("text", text="b")]
    for count in (1, 2):
        take = read(file_of([*texts[:count], *phrase([80])]))
        says = [one["says"] for one in views.unsent.unsent(take, "clip")]
        assert any(("1 text" if count == 1 else "2 texts") in one for one in says), says


def test_a_bend_beyond_its_range_is_shown_to_where_the_next_node_is() -> None:
    take = read(LINE)
    nodes = [{"tick": 0, "value": 0}, {"tick": 960, "value": 5}, {"tick": 1920, "value": 0}]
    made = applied(parse_stroke({"kind": "lane.nodes", "lane": "bend", "where": {"parts": [0]}, "nodes": nodes}), take)
    (told,) = [one for one in views.faults.faults(made) if one["reason"] == "beyond"]
    assert told["spans"] == [(960, 1920)]
    last = [*nodes[:1], {"tick": 960, "value": 5}]
    made = applied(parse_stroke({"kind": "lane.nodes", "lane": "bend", "where": {"parts": [0]}, "nodes": last}), take)
    (told,) = [one for one in views.faults.faults(made) if one["reason"] == "beyond"]
    assert told["spans"] == [(960, 961)]


def test_a_trim_gives_a_lane_a_value_at_its_very_beginning() -> None:
    made = applied(parse_stroke({"kind": "lane.trim", "lane": "cc:11", "by": -20, "where": {"parts": [0]}}), read(LINE))
    lane = made.parts[0].lanes["cc:11"].curve
    assert (lane.ticks[0], lane.values[0]) == (0, 107)


def test_a_chord_opens_from_its_middle() -> None:
    chord = read(file_of(notes(*[(960, 1440, pitch, 80) for pitch in (60, 64, 67, 71, 74)])))
    stroke = parse_stroke({"kind": "notes.spread", "order": "out", "where": {"parts": [0]}})
    part = applied(stroke, chord).parts[0]
    by = [int(pitch) for _, pitch in sorted(zip(part.notes.start.tolist(), part.notes.pitch.tolist(), strict=True))]
    assert by == [67, 64, 71, 60, 74]


def test_another_take_is_not_like_it() -> None:
    take = read(LINE)
    muted = applied(parse_stroke({"kind": "notes.mute", "where": {"parts": [0], "notes": [[0, 0]]}}), take)
    named = applied(parse_stroke({"kind": "notes.cue", "where": {"parts": [0], "notes": [[0, 0]]}}), take)
    for one, other in itertools.permutations((take, muted, named), 2):
        assert not one.is_like(other)
    assert take.is_like(read(LINE))


def test_the_first_note_may_be_written_at_the_very_beginning() -> None:
    take = read(file_of(notes((480, 960, 60, 80), (960, 1440, 64, 80))))
    made = applied(parse_stroke({"kind": "notes.move", "ticks": -960, "where": {"parts": [0]}}), take)
    assert made.parts[0].notes.page_start.tolist() == [0, 960]
    assert np.array_equal(made.parts[0].notes.page_start, made.parts[0].notes.start)


def test_an_odd_number_of_ticks_a_quarter_is_no_frame_rate() -> None:
    heard = as_document(receive(file_of(phrase([80] * 2, gap=482), ticks=481)))["notes"]
    assert heard[1]["start"] == pytest.approx(482 / 481 * 0.5)


def test_all_fifteen_channels_may_look_like_members() -> None:
    tracks = []
    for channel in range(1, 16):
        bent = [NOTE("pitchwheel", channel=channel, pitch=100 * step, time=20) for step in range(4)]
        tracks.append([*phrase([80] * 3, channel=channel), *bent])
    assert any("Notes on 15 channels" in remark for remark in read(file_of(*tracks)).remarks)


def test_midi_1_packets_of_a_clip_are_heard_to_the_last_bit() -> None:
    def words(*packets: int) -> bytes:
        return b"".join(packet.to_bytes(4) for packet in packets)

    start, end = bytes.fromhex("f0200000") + bytes(12), bytes.fromhex("f0210000") + bytes(12)
    clip = b"SMF2CLIP" + words(0x00300000 | 480, 0x00400000) + start
    clip += words(0x00400000, 0x20903C51, 0x00400000, 0x20B0407F, 0x00400000 | 480, 0x20803C00)
    clip += words(0x00400000 | 480, 0x20B04000, 0x00400000 | 480) + end
    (note,) = receive_clip(clip)["notes"]
    assert (note["pitch"], note["velocity"]) == (60, 81)
    assert (note["start"], note["key_up"], note["end"]) == pytest.approx((0.0, 0.5, 1.0))


def test_notes_that_are_not_doubled_deviate_each_by_itself() -> None:
    take = read(file_of(notes((0, 480, 61, 80), (960, 1440, 60, 80))))
    said = {"kind": "notes.loosen", "amount_ms": 80, "drift": 0, "seed": 4, "where": {"parts": [0]}}
    start = applied(parse_stroke(said), take).parts[0].notes.start
    assert start[0] != 0 or start[1] != 960
    assert start[0] - 0 != start[1] - 960


def test_notes_that_are_spread_too_wide_are_no_chord() -> None:
    onsets = chord_onsets(np.array([0, 50, 100, 960]), 960)
    assert len(set(onsets.tolist())) > 2
    assert len(set(chord_onsets(np.array([0, 20, 40, 960]), 960).tolist())) == 2


def test_settings_alone_make_another_take() -> None:
    take = read(LINE)
    for said in (
        {"kind": "note.answers", "keys": ["note:pitch"], "where": {"parts": [0]}},
        {"kind": "bend.range", "semitones": 7, "where": {"parts": [0]}},
        {"kind": "lane.ramp", "lane": "cc:11", "start": 0, "end": 9, "where": {"parts": [0], "span": [0, 960]}},
    ):
        made = applied(parse_stroke(said), take)
        assert not made.is_like(take)
        assert not take.is_like(made)
        assert made.is_like(applied(parse_stroke(said), read(LINE)))


def test_a_shake_may_have_as_many_turns_as_are_allowed() -> None:
    long = read(file_of(notes((0, 480 * 2 * 1000, 60, 80))))
    said = {"kind": "bend.shake", "rate": 15, "depth": 20, "where": {"parts": [0]}}
    assert applied(parse_stroke(said), long).parts[0].lanes["bend"].curve.values.max() > 0.1


def test_not_doubled_notes_deviate_apart_whatever_the_roll() -> None:
    take = read(file_of(notes((0, 480, 61, 80), (960, 1440, 60, 80))))
    apart = []
    for seed in range(12):
        said = {"kind": "notes.loosen", "amount_ms": 80, "drift": 0, "seed": seed, "where": {"parts": [0]}}
        start = applied(parse_stroke(said), take).parts[0].notes.start
        assert start.min() >= 0
        # What would begin before the take begins with it: of that nothing can be told.
        apart += [int(start[0] - (start[1] - 960 * 2))] if start[0] > 0 else []
    assert len(apart) > 2
    assert any(apart)


def test_a_clip_without_an_end_lasts_to_its_last_message() -> None:
    def words(*packets: int) -> bytes:
        return b"".join(packet.to_bytes(4) for packet in packets)

    start = bytes.fromhex("f0200000") + bytes(12)
    clip = b"SMF2CLIP" + words(0x00300000 | 960, 0x00400000) + start
    clip += words(0x00400000, 0x20903C51, 0x00400000 | 480, 0x20803C00, 0x00400000 | 960, 0x20B00B40)
    take = read_clip(clip)
    assert take.end == 1440 * take.resolution // 960


def test_a_clip_without_a_beginning_begins_with_its_first_message() -> None:
    words = (0x00300000 | 480, 0x20903C51, 0x00400000 | 480, 0x20803C00)
    (note,) = receive_clip(b"SMF2CLIP" + b"".join(word.to_bytes(4) for word in words))["notes"]
    assert (note["start"], note["key_up"]) == pytest.approx((0.0, 0.5), abs=1e-6)


def test_a_zone_is_said_after_the_first_of_several_resets_too() -> None:
    on = NOTE("sysex", data=(0x7E, 0x7F, 0x09, 0x01))
    track = [on, *phrase([80] * 3, gap=480), on.copy(time=240), *phrase([80] * 2, gap=480)]
    take = read(file_of(track))
    nodes = [{"at": 0, "value": 3}, {"at": 1, "value": 3}]
    drawn = {"kind": "note.curve", "lane": "note:pitch", "where": {"parts": [0]}, "nodes": nodes}
    heard = as_document(receive(saved(applied(parse_stroke(drawn), take), "mpe")))["notes"]
    assert len(heard) == 5
    assert all(abs(one["bend"][-1][1] - 3) < 0.02 for one in heard)


def test_over_the_whole_of_a_note_nothing_comes_back_at_its_end() -> None:
    take = read(LINE)
    one = {"parts": [0], "notes": [[2, 2]]}
    nodes = [{"at": 0, "value": 0, "hold": True}, {"at": 0.5, "value": 2, "hold": True}]
    drawn = parse_stroke({"kind": "note.curve", "lane": "note:pitch", "where": one, "nodes": nodes})
    lifted = parse_stroke({"kind": "lane.reshape", "lane": "note:pitch", "level": 1, "where": one})
    made = applied(lifted, applied(drawn, take))
    curve = made.parts[0].curves["note:pitch"].curve(2)
    length = int(take.parts[0].notes.end[2] - take.parts[0].notes.start[2])
    assert curve.ticks.max() < length
    assert float(curve.at(length + 500)) == 3


def test_smoothing_keeps_the_form_of_the_steepest_ways() -> None:
    span = {"parts": [0], "span": [0, 3840]}
    drawn = {"kind": "lane.ramp", "lane": "cc:11", "start": 0, "end": 120, "lift": -1, "where": span}
    before = applied(parse_stroke(drawn), read(LINE))
    after = applied(parse_stroke({"kind": "lane.smooth", "lane": "cc:11", "width": 40, "where": span}), before)
    at = np.arange(300, 3500, 100)
    was, now = (take.parts[0].lanes["cc:11"].curve.at(at) for take in (before, after))
    assert np.abs(was - now).max() < 3


def test_a_part_without_a_note_has_an_instrument_too() -> None:
    (part,) = read(file_of([control(11, 5)])).parts
    assert patch(part) == patch(read(LINE).parts[0])
