"""*The fog signal*: music cues for a made-up harbour museum's walk through its old signal house.

Played by the simulated hand with the faults that real takes have: a build in which every note is equally hard, a wheel
that does not come home, a pedal left down, controllers with no value before the first note.
"""

import io
import math
from collections.abc import Callable

import mido

from demo.bellows_room import bowed_glass, glass_bell, glass_drone, glass_harp, second_wheel, too_far
from demo.hand import RESOLUTION, Hand
from demo.hum import hummed
from demo.lens_room import half_pedalled, unpedalled
from demo.reed_loft import drawn, reed_box, thin_line
from demo.rope_locker import called, harp, told_reeds
from demo.watch_room import stiff_drum, stiff_glass, stiff_reeds

CHORDS = ((50, 57, 60, 65), (48, 55, 60, 64), (46, 53, 58, 62), (45, 52, 57, 60))
TUNE = (74, 77, 76, 72, 74, 69, 72, 70, 69, 67, 69, 65, 67, 69, 62, 64)
FIGURE = (0, 2, 3, 1, 2, 3, 1, 2)
FLAT_BARS = range(8, 12)
"""Bars 9 to 12 (from 1): here everything should build, and nothing does."""


def _file(name: str, hands: list[Hand], tempos: list[tuple[int, float]], waltz: int | None) -> bytes:
    conductor = Hand(name, 0, None, 0)
    conductor.meta(0, mido.MetaMessage("text", text="Played for the walk through the signal house."))
    conductor.meta(0, mido.Message("sysex", data=(0x7E, 0x7F, 0x09, 0x01)))
    conductor.meta(0, mido.MetaMessage("time_signature", numerator=4, denominator=4))
    conductor.meta(0, mido.MetaMessage("key_signature", key="Dm"))
    for bar, tempo in tempos:
        conductor.meta(bar * 4, mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(tempo)))
    if waltz is not None:
        conductor.meta(waltz * 4, mido.MetaMessage("marker", text="On the gallery"))
        conductor.meta(waltz * 4, mido.MetaMessage("time_signature", numerator=3, denominator=4))
    file = mido.MidiFile(type=1, ticks_per_beat=RESOLUTION)
    file.tracks = [conductor.track(), *(hand.track() for hand in hands)]
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def _bowed_glass(bars: int, first: int = 4) -> Hand:
    """Monophonic lead: bend, pressure, mod wheel. Its last bend stays up; its wheel has no lead-in."""
    hand = Hand("Bowed glass", 0, 92, 11)
    for controller, value in ((101, 0), (100, 0), (6, 2), (38, 0), (101, 127), (100, 127)):
        hand.send(0, "control_change", control=controller, value=value)
    phrase = 0
    for bar in range(first, bars - 2, 2):
        beat = bar * 4.0
        for place, length in ((0.0, 2.5), (2.5, 1.5), (4.0, 3.0)):
            pitch = TUNE[phrase % len(TUNE)]
            phrase += 1
            at = beat + place
            flat = bar in FLAT_BARS
            hand.note(at, length, pitch, 72 if flat else 66 + 22 * math.sin(bar / 5), flat=flat)
            if place == 0.0:  # A slide up into the note.
                hand.sweep("pitchwheel", "pitch", [(at, -4096), (at + 0.4, -300), (at + 0.6, 0)])
            if length >= 2.5:
                hand.sweep("aftertouch", "value", [(at + 0.8, 0), (at + length * 0.7, 92), (at + length, 0)])
                shake = [(at + 1.2 + step / 6, 340 * math.sin(step * math.pi / 2) * step / 8) for step in range(8)]
                hand.sweep("pitchwheel", "pitch", [*shake, (at + length - 0.1, 0)])
        hand.control(1, [(beat + 4.2, 0), (beat + 5.5, 84), (beat + 7.5, 6)])
    hand.note((bars - 2) * 4, 4, 74, 60)
    hand.sweep("pitchwheel", "pitch", [((bars - 2) * 4 + 2, 0), ((bars - 2) * 4 + 3.6, 3610)])
    _worn_knob(hand, first * 4 + 9.0, 1, 6)
    return hand


def _worn_knob(hand: Hand, beat: float, controller: int, value: int) -> None:
    """A controller that nobody touches and that sends all the same: two values in turn."""
    for step in range(18):
        hand.send(beat + step / 12, "control_change", control=controller, value=value + (0, 1, 0, 1, 1, 0)[step % 6])


def _reed_box(bars: int) -> Hand:
    """Chords with pedal and expression. The last pedal is never let up; one swell of the pedal came out as stairs."""
    hand = Hand("Reed box", 1, 21, 22)
    for bar in range(bars):
        beat = bar * 4.0
        chord = CHORDS[bar // 2 % 4]
        flat = bar in FLAT_BARS
        force = 64 if flat else 58 + 18 * math.sin(bar / 4)
        for voice, pitch in enumerate(chord):
            hand.note(beat, 3.9 if bar % 4 else 2.0, pitch, force + 4 * (voice == 3), late=voice * 5, flat=flat)
            if bar % 4 == 0:
                hand.note(beat + 2, 1.9, pitch + 12 * (voice == 0), force - 6, late=voice * 5, flat=flat)
        hand.send(beat + 0.12, "control_change", control=64, value=127)
        if bar < bars - 1:
            hand.send(beat + 3.93, "control_change", control=64, value=0)
        if bar == 16:
            for step in range(8):
                hand.send(beat + step / 2, "control_change", control=11, value=40 + 10 * step)
        elif bar >= 2:
            top = 88 + 24 * math.sin(bar / 3)
            hand.control(11, [(beat, 62), (beat + 2.2, top), (beat + 3.9, 64)])
    return hand


def _frame_drum(bars: int, first: int = 4) -> Hand:
    """Five voices on the percussion channel: low, open, slap, rim, jingles."""
    hand = Hand("Frame drum", 9, None, 33)
    low, open_, slap, rim, jingle = 36, 38, 39, 37, 54
    for bar in range(first, bars):
        beat = bar * 4.0
        flat = bar in FLAT_BARS
        build = 0 if flat else 10 * math.sin(bar / 4)
        for place, pitch, force in (
            (0, low, 96),
            (1.5, low, 70),
            (2, open_, 84),
            (2.75, slap, 58),
            (3.5, low, 66),
            (3.75, slap, 44),
        ):
            hand.note(beat + place, 0.3, pitch, 80 if flat else force + build, flat=flat)
        for eighth in range(8):
            hand.note(beat + eighth / 2, 0.2, jingle, 64 if flat else 38 + 22 * (eighth % 2), flat=flat)
        if bar % 4 == 3:
            for roll in range(8):
                hand.note(beat + 3 + roll / 8, 0.1, rim, 70, flat=True)
    return hand


def _thumb_piano(bars: int) -> Hand:
    """Velocity only. In bars 9 to 12 every note is equally hard."""
    hand = Hand("Thumb piano", 3, 108, 44)
    for bar in range(bars):
        chord = CHORDS[bar // 2 % 4]
        flat = bar in FLAT_BARS
        for eighth, degree in enumerate(FIGURE):
            if bar % 8 == 7 and eighth > 5:
                continue
            accent = 14 if eighth in (0, 3, 6) else 0
            force = 64 if flat else 56 + accent + 16 * math.sin((bar * 8 + eighth) / 21)
            hand.note(bar * 4 + eighth / 2, 0.9, chord[degree] + 24, force, flat=flat)
        if bar % 2 and not flat:
            hand.note(bar * 4 + 2.75, 0.6, chord[3] + 36, 48)
    return hand


def the_stair() -> bytes:
    """All four parts, a minute and a half, with changes of tempo and metre."""
    bars = 28
    hands = [_bowed_glass(bars), _reed_box(bars), _frame_drum(bars), _thumb_piano(bars)]
    return _file("The stair", hands, [(0, 76), (8, 80), (20, 84), (26, 72)], waltz=None)


def the_keepers_log() -> bytes:
    """Keyboards alone, four minutes: the build in bars 9 to 12 is flat."""
    bars = 76
    return _file("The keeper's log", [_thumb_piano(bars), _reed_box(bars)], [(0, 76), (40, 78)], waltz=60)


def the_lamp_room() -> bytes:
    """Lead and drum, short: bends, pressure and the wheel."""
    bars = 16
    return _file("The lamp room", [_bowed_glass(bars, 0), _frame_drum(bars, 0)], [(0, 92)], waltz=None)


def the_bellows_room() -> bytes:
    """Glass alone: a line for the gestures of the wheel, and all that goes wrong with one."""
    hands = [bowed_glass(), glass_harp(), glass_bell(), glass_drone(), second_wheel()]
    return _file("The bellows room", hands, [(0, 84)], waltz=None)


def the_reed_loft() -> bytes:
    """A pad and a line in which each note goes its own way."""
    return _file("The reed loft", [reed_box(), thin_line()], [(0, 66)], waltz=None)


def the_lens_room() -> bytes:
    """Pedals: one pressed in part under short notes, and a part that has none."""
    return _file("The lens room", [half_pedalled(), unpedalled()], [(0, 72)], waltz=None)


def the_rope_locker() -> bytes:
    """The ends of runs, and keys that tell an instrument how to play."""
    return _file("The rope locker", [harp(), told_reeds()], [(0, 80)], waltz=None)


def the_watch_room() -> bytes:
    """Programmed, every note alike: for a first shape, rules, and the hands of the keeper."""
    return _file("The watch room", [stiff_glass(), stiff_reeds(), stiff_drum()], [(0, 88)], waltz=None)


TAKES: dict[str, Callable[[], bytes]] = {
    "The fog signal: the stair": the_stair,
    "The fog signal: the keeper's log": the_keepers_log,
    "The fog signal: the lamp room": the_lamp_room,
    "The fog signal: the bellows room": the_bellows_room,
    "The fog signal: the reed loft": the_reed_loft,
    "The fog signal: the lens room": the_lens_room,
    "The fog signal: the rope locker": the_rope_locker,
    "The fog signal: the watch room": the_watch_room,
}
STROKES: dict[str, list[dict[str, object]]] = {
    "The fog signal: the bellows room": [too_far(8)],
    "The fog signal: the reed loft": drawn(0),
    "The fog signal: the rope locker": called(1),
}
"""What has been done to a take already."""
SOUNDS = {"The fog signal: the watch room": ("A hum", hummed)}
"""What is to be heard beside a take."""
HANDS = {
    "The keeper's thumbs": ("The fog signal: the keeper's log", 0),
    "The keeper's reeds": ("The fog signal: the keeper's log", 1),
}
"""Hands that are measured for whoever tries the demo: the take and the part that each is played in."""
