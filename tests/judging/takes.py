"""Random recordings, with what real ones have."""

import io
from collections.abc import Callable, Iterator
from typing import Any

import mido
import numpy as np

DEFAULTS = {"cc:7": 100.0, "cc:10": 64.0, "cc:8": 64.0, "cc:11": 127.0, "cc:74": 64.0}


Draw = np.random.Generator


def recording(dice: Draw) -> bytes:
    """A small file with whatever real ones hold: shared channels, resets, ranges, fine halves, changes of tempo."""
    ticks = int(dice.choice([96, 384, 480, 960]))
    length = ticks * int(dice.integers(8, 24))
    shared = dice.random() < 0.3
    tracks = [_conductor(dice, ticks, length)]
    for number in range(int(dice.integers(1, 3)) + shared):
        channel = 0 if shared else number
        tracks.append(_played(dice, ticks, length, channel, number))
    _with_what_real_ones_have(np.random.default_rng(int(dice.integers(2**31))), tracks, ticks, length)
    file = mido.MidiFile(type=1, ticks_per_beat=ticks)
    for events in tracks:
        track, before = mido.MidiTrack(), 0
        for tick, message in sorted(events, key=lambda one: one[0]):
            track.append(_at(message, tick - before))
            before = tick
        file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def _at(message: Any, time: int) -> Any:
    moved = message.copy()
    vars(moved)["time"] = time
    return moved


def _with_what_real_ones_have(dice: Draw, tracks: list[list[tuple[int, Any]]], ticks: int, length: int) -> None:
    """Now and then: notes that are doubled or lie over each other on a key, one that is held throughout, a kit, and a
    module that is reset in the middle.
    """
    track = tracks[1]
    struck = [(tick, message) for tick, message in track if message.type == "note_on"]

    def put(start: int, end: int, pitch: int, channel: int, where: list[tuple[int, Any]]) -> None:
        velocity = int(dice.integers(1, 128))
        where.append((start, mido.Message("note_on", note=pitch, velocity=velocity, channel=channel)))
        where.append((end, mido.Message("note_off", note=pitch, velocity=0, channel=channel)))

    if dice.random() < 0.15:
        for tick, message in struck[::5]:
            over = int(dice.integers(0, ticks // 4)) * int(dice.integers(0, 2))
            put(tick + over, tick + over + int(dice.integers(1, ticks)), message.note, message.channel, track)
    if dice.random() < 0.25:
        for tick, message in struck[::2]:
            for over in (4, 7):
                near = tick + int(dice.integers(0, ticks // 20 + 1))
                put(near, near + int(dice.integers(ticks // 4, ticks)), message.note + over, message.channel, track)
    if dice.random() < 0.15:
        put(int(dice.integers(0, ticks)), length - 1, 84, struck[0][1].channel if struck else 0, track)
    if dice.random() < 0.1:
        kit: list[tuple[int, Any]] = []
        for tick in range(0, length, ticks // 2):
            put(tick, tick + ticks // 8, int(dice.choice([36, 38, 42])), 9, kit)
        tracks.append(kit)
    if dice.random() < 0.1:
        tracks[0].append((int(dice.integers(ticks, length)), mido.Message("sysex", data=[0x7E, 0x7F, 0x09, 0x01])))


def _conductor(dice: Draw, ticks: int, length: int) -> list[tuple[int, Any]]:
    changes = [0, *(int(dice.integers(1, length)) for _ in range(int(dice.integers(0, 3))))]
    found = [(tick, mido.MetaMessage("set_tempo", tempo=int(dice.integers(200_000, 1_200_000)))) for tick in changes]
    if dice.random() < 0.2:
        found.insert(0, (0, mido.Message("sysex", data=[0x7E, 0x7F, 0x09, 0x01])))
    return found


def _played(dice: Draw, ticks: int, length: int, channel: int, number: int) -> list[tuple[int, Any]]:
    """One track: notes, controllers that move and rest, a wheel, and what gets in their way."""
    found: list[tuple[int, Any]] = []

    def told(tick: int, kind: str, **data: int) -> None:
        # What is in a message is known here to fit; that mido looks again takes a quarter of the judge's time.
        found.append((tick, mido.Message(kind, skip_checks=True, channel=channel, **data)))

    def control(tick: int, controller: int, value: int) -> None:
        told(tick, "control_change", control=controller, value=value)

    if dice.random() < 0.3:
        told(0, "program_change", program=int(dice.integers(0, 128)))
    if dice.random() < 0.4:
        control(0, 121, 0)
    if dice.random() < 0.4:
        _ranged(dice, control, 0)
    for _ in range(int(dice.integers(0, 3))):
        tick = int(dice.integers(0, length))
        if dice.random() < 0.5:
            control(tick, 121, 0)
        else:
            _ranged(dice, control, tick)
    for controller in dice.choice([1, 2, 7, 11, 64, 74, 91], int(dice.integers(1, 4)), replace=False).tolist():
        fine = controller < 32 and dice.random() < 0.2
        for tick, value in _movement(dice, ticks, length, 128):
            only_on_off = controller == 64 and number == 0
            control(tick, controller, (127 if value > 63 else 0) if only_on_off else value)
            if fine and dice.random() < 0.7:
                control(tick, controller + 32, int(dice.integers(0, 128)))
    if dice.random() < 0.6:
        for tick, value in _movement(dice, ticks, length, 16384):
            told(tick, "pitchwheel", pitch=value - 8192)
    if dice.random() < 0.3:
        for tick, value in _movement(dice, ticks, length, 128):
            told(tick, "aftertouch", value=value)
    tick = int(dice.integers(0, ticks))
    while tick < length:
        lasting = int(dice.integers(1, ticks))
        pitch = int(dice.integers(48, 72)) + 24 * number
        told(tick, "note_on", note=pitch, velocity=int(dice.integers(1, 128)))
        told(tick + lasting, "note_off", note=pitch, velocity=0)
        tick += max(lasting, int(dice.integers(1, 2 * ticks)))
    return found


def _movement(dice: Draw, ticks: int, length: int, levels: int) -> Iterator[tuple[int, int]]:
    """Values that wander, jump and rest."""
    tick, value = int(dice.integers(0, length // 2)) * int(dice.integers(0, 2)), int(dice.integers(0, levels))
    for _ in range(int(dice.integers(1, 60))):
        if tick >= length:
            return
        yield tick, value
        rests = dice.random() < 0.15
        tick += int(dice.integers(ticks, 3 * ticks)) if rests else int(dice.integers(1, max(ticks // 8, 2)))
        step = dice.normal(0, levels / 40) if dice.random() < 0.9 else dice.normal(0, levels / 3)
        value = int(min(max(value + step, 0), levels - 1))


def _ranged(dice: Draw, control: Callable[[int, int, int], None], tick: int) -> None:
    """The bend's range set in one of the ways that the standard allows."""
    first, second = (101, 100) if dice.random() < 0.5 else (100, 101)
    if dice.random() < 0.2:
        control(tick, 99, 1)
        control(tick, 6, 55)
    control(tick, first, 0)
    control(tick, second, 0)
    control(tick, 6, int(dice.integers(0, 25)))
    if dice.random() < 0.4:
        control(tick, 38, int(dice.integers(0, 100)))
    if dice.random() < 0.2:
        control(tick, int(dice.choice([96, 97])), 0)
    if dice.random() < 0.5:
        control(tick, 101, 127)
        control(tick, 100, 127)
