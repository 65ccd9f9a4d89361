"""*The fog signal: the reed loft*: a pad for the reed box and a thin line above it; each note goes its own way.

Chords of four that follow one another note for note, struck anew each time as a keyboard has to; over them a line whose
keys are pressed one by one. A few curves are drawn already, everything else waits to be: chords that bend into the
next, a swell that is given to others, ends that are scattered.
"""

from demo.hand import Hand

CHORDS = (
    (50, 57, 62, 65), (48, 55, 60, 67), (46, 53, 62, 65), (45, 52, 60, 64),
    (43, 50, 58, 65), (45, 52, 57, 64), (50, 57, 60, 65), (50, 57, 62, 66),
)  # fmt: skip
LINE = ((74, 2.0), (77, 2.0), (76, 3.0), (72, 1.0), (70, 2.0), (72, 2.0), (69, 4.0))
HELD = 4.0
"""Beats a chord."""


def reed_box() -> Hand:
    """The pad: chords that are let go a little before the next is struck."""
    hand = Hand("Reed box", 2, 20, 71)
    for number, chord in enumerate(CHORDS):
        for voice, pitch in enumerate(chord):
            hand.note(number * HELD, HELD, pitch, 58 + 3 * voice, late=2 * voice)
    return hand


def thin_line() -> Hand:
    """Single notes whose keys are leaned on: polyphonic pressure, key by key."""
    hand = Hand("Thin line", 3, 92, 72)
    beat = 4.0
    for pitch, length in (*LINE, *LINE):
        hand.note(beat, length, pitch, 62)
        points = [(beat + 0.2, 0.0), (beat + length * 0.6, 84.0), (beat + length * 0.85, 10.0)]
        hand.sweep("polytouch", "value", points, note=pitch)
        beat += length
    return hand


def drawn(first: int) -> list[dict[str, object]]:
    """What is drawn already: `first` is the id of the pad's first note."""
    top, inner = first + 3, first + 1
    rhythm = [{"at": step / 8, "value": 100 if step % 2 else 52, "hold": True} for step in range(8)]
    return [
        _curve("note:pan", top, [(0, 40), (0.5, 112), (1, 40)]),
        _curve("note:pressure", first + 4, [(0, 0), (0.6, 96), (1, 12)]),
        {"kind": "note.curve", "lane": "note:timbre", "nodes": rhythm, "where": {"notes": [[inner, inner]]}},
    ]


def _curve(lane: str, note: int, points: list[tuple[float, float]]) -> dict[str, object]:
    nodes = [{"at": at, "value": value, "ease": 1} for at, value in points]
    return {"kind": "note.curve", "lane": lane, "nodes": nodes, "where": {"notes": [[note, note]]}}
