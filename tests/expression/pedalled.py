"""Random performances with pedals: events at one tick, half-pedalling, keys struck again, two tracks of one channel."""

import random

import mido

from tests.files import file_of

M = mido.Message


def performance(dice: random.Random, notes: int = 40, depth: bool = True, tracks: int = 1) -> bytes:
    """A file in which much happens at one tick, in any order."""
    events: list[list[tuple[int, int, mido.Message]]] = [[] for _ in range(tracks)]
    free: dict[int, int] = {}
    step = dice.choice([1, 30, 120])

    def put(tick: int, message: mido.Message) -> None:
        events[dice.randrange(tracks)].append((tick, dice.randrange(100), message))

    tick = 0
    for _ in range(notes):
        tick += step * dice.choice([0, 1, 2, 4])
        pitch = dice.randrange(48, 72)
        length = step * dice.randrange(1, 12)
        if free.get(pitch, -1) >= tick:
            continue
        free[pitch] = tick + length
        track = dice.randrange(tracks)
        events[track].append((tick, 50, M("note_on", note=pitch, velocity=dice.randrange(1, 128))))
        events[track].append((tick + length, dice.randrange(50), M("note_off", note=pitch, velocity=0)))
    end = tick + step * 12
    for number, chance in ((64, 0.5), (66, 0.08)):
        at = 0
        while at < end:
            at += step * dice.randrange(1, 9)
            value = dice.choice([0, 20, 50, 63, 64, 80, 127]) if depth else dice.choice([0, 127])
            if dice.random() < chance * 2:
                put(at, M("control_change", control=number, value=value))
    found = []
    for mine in events:
        mine.sort(key=lambda one: one[:2])
        now, told = 0, []
        for at, _, message in mine:
            told.append(message.copy(time=at - now))
            now = at
        found.append(told)
    return file_of(*found)
