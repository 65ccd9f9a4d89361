"""Pedals: by hand for each rule, and as properties that the receiver judges."""

import itertools
import random
from collections.abc import Sequence
from typing import Any

import mido
import numpy as np
import pytest

from expression.errors import BadStroke, NothingMatched
from expression.history import applied
from expression.midi.read import read
from expression.midi.write import write
from expression.receiver import receive
from expression.sounding import sounding
from expression.strokes import parse_stroke
from expression.take import Take
from expression.views.faults import faults
from tests.expression.pedalled import performance
from tests.files import file_of

M = mido.Message
BEAT = 960


def take_of(notes: Sequence[tuple[int, int, int]], pedal: Sequence[tuple[int, int]] = (), **others: Any) -> Take:
    """Notes (start, end, pitch) in ticks of 960 a beat; values of sustain, or of other controllers by `cc66`."""
    events = [(start, 2, M("note_on", note=pitch)) for start, _, pitch in notes]
    events += [(end, 1, M("note_off", note=pitch)) for _, end, pitch in notes]
    events += [(tick, 0, M("control_change", control=64, value=value)) for tick, value in pedal]
    for name, values in others.items():
        events += [(tick, 0, M("control_change", control=int(name[2:]), value=value)) for tick, value in values]
    events.sort(key=lambda one: one[:2])
    now, told = 0, []
    for tick, _, message in events:
        told.append(message.copy(time=tick - now))
        now = tick
    return read(file_of(told, ticks=BEAT))


def made(take: Take, kind: str, **said: Any) -> Take:
    return applied(parse_stroke({"kind": kind, **said}), take)


def ends(take: Take) -> list[int]:
    return [int(end) for end in take.parts[0].notes.end]


def pedal(take: Take, key: str = "cc:64") -> list[tuple[int, float]]:
    lane = take.channels[0].lanes.get(key)
    return list(zip(lane.curve.ticks.tolist(), lane.curve.values.tolist(), strict=True)) if lane else []


def heard(take: Take) -> list[tuple[int, int, int]]:
    data = write(take)
    scale = take.resolution // int.from_bytes(data[12:14])
    return sorted((note.start * scale, note.pitch, note.end * scale) for note in receive(data).notes)


# ---- how long notes sound


@pytest.mark.parametrize("seed", range(60))
def test_how_long_notes_sound_is_what_the_receiver_hears(seed: int) -> None:
    dice = random.Random(seed)
    take = read(performance(dice, tracks=1 + seed % 2))
    sounds = sounding(take, take.channels[0])
    assert sorted(zip(sounds.start.tolist(), sounds.pitch.tolist(), sounds.end.tolist(), strict=True)) == [
        (start, pitch, end) for start, pitch, end in heard(take)
    ]


# ---- pressed, lifted, on and off


def test_pressed_over_a_span_and_lifted_within_it() -> None:
    down = made(take_of([(0, 4000, 60)]), "pedal.press", where={"parts": [0], "span": [960, 2880]})
    assert pedal(down) == [(0, 0), (960, 127), (2880, 0)]
    apart = made(down, "pedal.lift", where={"parts": [0], "span": [1500, 1600]})
    assert pedal(apart) == [(0, 0), (960, 127), (1500, 0), (1600, 127), (2880, 0)]
    deep = made(apart, "pedal.press", depth=90, where={"parts": [0], "span": [1600, 2880]})
    assert pedal(deep)[3:] == [(1600, 90), (2880, 0)]
    longer = made(down, "pedal.press", where={"parts": [0], "span": [2880, 3000]})
    assert pedal(longer) == [(0, 0), (960, 127), (3000, 0)]


def test_pressed_over_each_chosen_note() -> None:
    take = take_of([(0, 400, 60), (960, 1200, 62), (1100, 1500, 64), (2000, 2100, 65)])
    down = made(take, "pedal.press", where={"notes": [[0, 2]]})
    assert pedal(down) == [(0, 127), (400, 0), (960, 127), (1500, 0)]


def test_depth_becomes_on_and_off_and_a_trembling_foot_does_not_flicker() -> None:
    trembling = [(0, 10), (100, 66), (200, 62), (300, 65), (400, 61), (500, 59), (600, 63), (700, 90)]
    take = take_of([(0, 1000, 60)], trembling)
    assert pedal(made(take, "pedal.switch")) == [(0, 0), (100, 127), (500, 0), (700, 127)]
    assert pedal(made(take, "pedal.switch", off=64)) == [
        (0, 0), (100, 127), (200, 0), (300, 127), (400, 0), (700, 127),
    ]  # fmt: skip
    with pytest.raises(NothingMatched, match="on or off already"):
        made(made(take, "pedal.switch"), "pedal.switch")
    with pytest.raises(BadStroke, match="no higher"):
        parse_stroke({"kind": "pedal.switch", "on": 50, "off": 60})
    for threshold in (0, 128):
        with pytest.raises(BadStroke, match="1 to 127"):
            parse_stroke({"kind": "pedal.switch", "on": threshold})


def test_on_and_off_becomes_depth_where_the_player_says_so() -> None:
    take = take_of([(0, 4000, 60)], [(0, 127), (960, 0), (1920, 127), (2880, 0)])
    part = made(take, "pedal.depth", depth=90)
    assert pedal(part) == [(0, 90), (960, 0), (1920, 90), (2880, 0)]
    smooth = made(part, "lane.ramp", lane="cc:64", start=90, end=0, where={"parts": [0], "span": [500, 960]})
    assert 40 < smooth.channels[0].lanes["cc:64"].curve.at([730])[0] < 50
    with pytest.raises(NothingMatched, match="in part already"):
        made(part, "pedal.depth")
    within = made(take, "pedal.depth", depth=90, where={"span": [1000, 3000]}).channels[0].lanes["cc:64"].curve
    assert within.at([500, 970, 1000, 2000, 2900]).tolist() == [127, 0, 0, 90, 0]


def test_what_flickers_very_often_is_dealt_with() -> None:
    take = take_of([(0, 3840, 60)], [(tick, 127 * (tick % 2)) for tick in range(3840)])
    assert len(pedal(made(take, "pedal.lift", where={"parts": [0], "span": [10, 3000]}))) < 900
    assert ends(made(take, "pedal.to_lengths")) == [3840]


# ---- pedal to lengths


def test_a_note_ends_when_the_pedal_comes_up_or_its_key_is_struck_again() -> None:
    notes = [(0, 100, 60), (480, 600, 60), (500, 700, 64), (1000, 2500, 67)]
    take = take_of(notes, [(0, 127), (1920, 0)])
    assert ends(made(take, "pedal.to_lengths")) == [480, 1920, 1920, 2500]
    assert pedal(made(take, "pedal.to_lengths")) == []
    # 120 beats a minute: 50 ms are 96 ticks of 960.
    assert ends(made(take, "pedal.to_lengths", gap_ms=50)) == [384, 1920, 1920, 2500]
    assert ends(made(take, "pedal.to_lengths", longest=1)) == [480, 480 + 960, 500 + 960, 2500]
    kept = made(take, "pedal.to_lengths", keep_pedal=True)
    assert ends(kept) == [480, 1920, 1920, 2500] and pedal(kept) == [(0, 127), (1920, 0)]
    said = parse_stroke({"kind": "pedal.to_lengths"}).also(take)
    assert said == "3 notes grow, the longest to 1.5 beats; 1 end where their keys are struck again."


def test_depth_counts_from_the_threshold_and_soft_pedals_stay() -> None:
    take = take_of([(0, 100, 60)], [(0, 70), (960, 50), (1920, 0)], cc67=[(0, 127)])
    assert ends(made(take, "pedal.to_lengths")) == [960]
    assert ends(made(take, "pedal.to_lengths", threshold=40)) == [1920]
    assert pedal(made(take, "pedal.to_lengths"), "cc:67") == [(0, 127)]


def test_sostenuto_holds_only_keys_that_are_down_when_it_is_pressed() -> None:
    take = take_of([(0, 500, 60), (600, 700, 64)], cc66=[(400, 127), (1920, 0)])
    lengths = made(take, "pedal.to_lengths")
    assert ends(lengths) == [1920, 700] and pedal(lengths, "cc:66") == []


def test_the_pedal_stays_for_notes_that_are_not_chosen() -> None:
    take = take_of([(0, 100, 60), (0, 200, 48)], [(0, 127), (960, 0)])
    one = made(take, "pedal.to_lengths", where={"notes": [[0, 0]]})
    assert ends(one) == [960, 200] and pedal(one) == [(0, 127), (960, 0)]
    # Within a span: what comes in from before and what goes on after it sounds as it did.
    take = take_of([(0, 100, 60), (960, 1000, 62), (1920, 2000, 64)], [(0, 127), (2400, 0)])
    middle = made(take, "pedal.to_lengths", where={"span": [900, 1900]})
    assert heard(middle) == heard(take) and ends(middle) == [100, 2400, 2000]


def test_what_all_notes_off_would_cut_stays_with_the_pedal() -> None:
    take = take_of(
        [(0, 100, 60), (0, 200, 64), (1000, 1100, 62)], [(0, 127), (800, 0), (900, 127), (1500, 0)], cc123=[(150, 0)]
    )
    lengths = made(take, "pedal.to_lengths")
    assert heard(lengths) == heard(take) and ends(lengths)[2] == 1500


def test_without_a_pedal_there_is_nothing_to_turn() -> None:
    with pytest.raises(NothingMatched, match="No pedal is pressed"):
        made(take_of([(0, 100, 60)]), "pedal.to_lengths")


def test_a_pedal_that_is_never_lifted_holds_to_the_end() -> None:
    take = take_of([(0, 100, 60), (500, 960, 64)], [(0, 127)])
    assert ends(made(take, "pedal.to_lengths")) == [960, 960]


# ---- lengths to pedal


def test_lengths_become_pedal_where_nothing_is_cut_or_held_too_long() -> None:
    take = take_of([(0, 1920, 48), (0, 1920, 60), (960, 1920, 64), (1920, 2400, 65)])
    short = made(take, "pedal.from_lengths", finger_ms=100)
    # 100 ms are 192 ticks; down a tick before the first is let go, up where all of them end.
    assert ends(short) == [192, 192, 1152, 1920 + 192]
    assert pedal(short) == [(0, 0), (191, 127), (1920, 0), (2111, 127), (2400, 0)]
    assert heard(short) == heard(take)
    # One that has to end while others sound on stops the pedal from going down before.
    mixed = take_of([(0, 1920, 48), (0, 480, 60)])
    shorter = made(mixed, "pedal.from_lengths", finger_ms=100)
    assert heard(shorter) == heard(mixed) and ends(shorter)[0] > 480


def test_fingers_hold_to_the_next_chord_of_their_hand() -> None:
    take = take_of([(0, 3840, 40), (0, 3840, 70), (960, 3840, 72), (1920, 3840, 43)])
    assert ends(made(take, "pedal.from_lengths")) == [1920, 960, 3840, 3840]


PLACES: tuple[dict[str, Any], ...] = ({}, {"span": [2000, 6000]}, {"notes": [[3, 15], [20, 24]]})


@pytest.mark.parametrize("seed", range(24))
def test_to_lengths_and_back_every_note_sounds_as_long_as_it_did(seed: int) -> None:
    take = read(performance(random.Random(seed), tracks=1 + seed % 2))
    before = heard(take)
    for where in PLACES:
        for kinds in (["to"], ["from"], ["to", "from"], ["from", "to"]):
            shaped = take
            for kind in kinds:
                try:
                    shaped = made(shaped, f"pedal.{kind}_lengths", where=where)
                except NothingMatched:
                    continue
            after = heard(shaped)
            assert [one[:2] for one in after] == [one[:2] for one in before]
            off = [abs(one[2] - other[2]) for one, other in zip(before, after, strict=True)]
            assert max(off) <= 1, (kinds, where)


# ---- from the harmony

C, F, G = (48, 64, 67), (53, 65, 69), (43, 62, 71)


def progression(*chords: tuple[int, ...], length: int = 960, over: int = 0) -> list[tuple[int, int, int]]:
    return [(at * length, (at + 1) * length + over, pitch) for at, chord in enumerate(chords) for pitch in chord]


def test_up_at_each_change_of_harmony_and_down_after_the_lag() -> None:
    take = take_of(progression(C, C, F, G))
    # 80 ms are 154 ticks: the second C is no change.
    down = made(take, "pedal.legato")
    assert pedal(down) == [(0, 0), (154, 127), (1920, 0), (2074, 127), (2880, 0), (3034, 127), (3840, 0)]
    every = made(take, "pedal.legato", by="chord", lag_ms=0, depth=100)
    assert pedal(every) == [(0, 100), (3840, 0)] or [tick for tick, value in pedal(every) if value == 100]
    bars = made(take, "pedal.legato", by="bar")
    assert pedal(bars) == [(0, 0), (154, 127), (3840, 0)]
    assert len([1 for _, value in pedal(made(take, "pedal.legato", by="beat")) if value]) == 4


def test_a_bass_that_its_finger_still_holds_is_not_caught_again() -> None:
    take = take_of(progression(C, F, over=300))
    # Until 1260 the old bass is down: the pedal waits for it.
    assert pedal(made(take, "pedal.legato"))[2:4] == [(960, 0), (1261, 127)]
    assert pedal(made(take, "pedal.legato", through_bass=True))[1] == (154, 127)


def test_it_is_lifted_before_a_long_rest() -> None:
    take = take_of([(0, 960, 48), (0, 960, 64), (4800, 5760, 53), (4800, 5760, 65)])
    assert pedal(made(take, "pedal.legato"))[2] == (960, 0)
    beats = pedal(made(take, "pedal.legato", by="beat"))
    assert beats == [(0, 0), (154, 127), (960, 0), (4954, 127), (5760, 0)]


@pytest.mark.parametrize("seed", range(20))
def test_no_new_bass_sounds_over_the_old_one(seed: int) -> None:
    dice = np.random.default_rng(seed)
    roots = [int(root) for root in dice.integers(36, 55, 12)]
    chords = [(root, *sorted({root + 12 + int(step) for step in dice.choice([3, 4, 7, 9, 12], 3)})) for root in roots]
    over = int(dice.integers(0, 500))
    notes = [
        (at * 960, (at + 1) * 960 + over, pitch)
        for at, chord in enumerate(chords)
        for pitch in chord
        if pitch not in chords[at - 1][1:] or not at
    ]
    for by in ("harmony", "bass", "chord"):
        take = made(take_of(notes), "pedal.legato", by=by)
        fingers = {(start, pitch): end for start, end, pitch in notes}
        sounds = heard(take)
        for at, (one, other) in enumerate(itertools.pairwise(roots)):
            # A bass that was held over from the chord before is not struck.
            if other == one or not {(at * 960, one), ((at + 1) * 960, other)} <= set(fingers):
                continue
            (end,) = [end for start, pitch, end in sounds if (start, pitch) == (at * 960, one)]
            # It may still be held by its finger, but by no pedal.
            assert end <= max(fingers[at * 960, one], (at + 1) * 960), (by, at)


# ---- faults


def told(take: Take) -> dict[str, Any]:
    return {one["reason"]: one for one in faults(take) if one["lane"].startswith("cc:6")}


def test_a_pedal_left_down_or_down_long_before_the_first_note_is_lifted() -> None:
    take = take_of([(4000, 4900, 60)], [(0, 127)])
    found = told(take)
    assert "end of the take" in found["left down"]["says"] and "before the first note" in found["early pedal"]["says"]
    assert pedal(applied(found["left down"]["stroke"], take)) == [(0, 127), (4900, 0)]
    assert pedal(applied(found["early pedal"]["stroke"], take)) == [(0, 0), (4000, 127)]
    assert not told(take_of([(0, 960, 60)], [(0, 127), (960, 0)]))


def test_a_flickering_pedal_is_steadied() -> None:
    take = take_of([(0, 4000, 60)], [(tick, 66 if tick % 100 else 61) for tick in range(0, 2000, 50)] + [(2400, 0)])
    found = told(take)["pedal flickers"]
    steady = applied(found["stroke"], take)
    assert "flickers about its threshold" in found["says"] and len(pedal(steady)) <= 2
    assert "pedal flickers" not in told(steady)


def test_a_pedal_pressed_in_silence_and_one_that_notes_off_does_not_lift() -> None:
    take = take_of([(0, 960, 60), (20000, 20960, 62)], [(2000, 127), (19000, 0)])
    found = told(take)["idle pedal"]
    assert found["spans"] == [(2000, 19000)] and not told(applied(found["stroke"], take))
    ringing = take_of([(0, 960, 60), (5000, 5960, 62)], [(500, 127), (4000, 0)], cc123=[(2000, 0)])
    found = told(ringing)["ringing on"]
    mended = applied(found["stroke"], ringing)
    assert heard(ringing)[0][2] == 4000 and heard(mended)[0][2] == 2000
