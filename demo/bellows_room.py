"""*The fog signal: the bellows room*: glass for the wheel, with whatever goes wrong with one.

A plain line that asks to be scooped, dipped, shaken and glided through, on a wheel that is worn; and three neighbours
whose range is said too late, in the wrong order, or not at all, while another track moves and resets their wheel.
"""

from demo.hand import Hand

PROGRAM = 92
WORN = 369
"""Where the worn wheel rests: nine cents sharp of the centre, at two semitones either way."""
LINE = ((62, 4.0), (69, 3.0), (67, 1.0), (65, 6.0), (70, 2.0), (74, 8.0), (72, 2.0), (69, 2.0), (67, 4.0), (62, 6.0))


def bowed_glass() -> Hand:
    """Long notes and leaps, nothing played on the wheel but what it does by itself: it rests off its centre."""
    hand = Hand("Bowed glass", 0, PROGRAM, 51)
    _say(hand, 0, (101, 0), (100, 0), (6, 2), (38, 0), (101, 127), (100, 127))
    hand.send(0, "pitchwheel", pitch=WORN)
    beat = 0.0
    for number, (pitch, length) in enumerate(LINE):
        hand.note(beat, length, pitch, 64 + 3 * number)
        beat += length + (2.0 if number in (3, 5, 8) else 0.0)
    # Leaned on at the end of the second phrase, and not let go of in the rest after it.
    hand.sweep("pitchwheel", "pitch", [(22.0, WORN), (23.4, 3800)])
    hand.sweep("pitchwheel", "pitch", [(28.4, 3800), (28.8, WORN)])
    hand.sweep("pitchwheel", "pitch", [(beat - 3.0, WORN), (beat - 1.0, -2400)])
    return hand


def glass_harp() -> Hand:
    """An octave is meant, and said when the wheel has moved already."""
    hand = Hand("Glass harp", 1, PROGRAM, 52)
    for bar in range(0, 10, 2):
        hand.note(bar * 4, 7, 50 + bar, 58)
        hand.sweep(
            "pitchwheel", "pitch", [(bar * 4 + 1, 0), (bar * 4 + 3, 2048), (bar * 4 + 6, 2048), (bar * 4 + 6.9, 0)]
        )
    _say(hand, 14.0, (101, 0), (100, 0), (6, 12), (38, 0), (101, 127), (100, 127))
    return hand


def glass_bell() -> Hand:
    """Twelve semitones are said before the parameter that they are for: no instrument hears that."""
    hand = Hand("Glass bell", 2, PROGRAM, 53)
    _say(hand, 0, (6, 12), (38, 0), (101, 0), (100, 0), (101, 127), (100, 127))
    for bar in range(1, 11, 2):
        hand.note(bar * 4, 3, 81 - bar, 66)
        hand.sweep("pitchwheel", "pitch", [(bar * 4 + 2, 0), (bar * 4 + 2.7, -4778), (bar * 4 + 3, 0)])
    return hand


def glass_drone() -> Hand:
    """No range is said, and its wheel is moved from elsewhere."""
    hand = Hand("Glass drone", 4, PROGRAM, 54)
    for bar in range(0, 12, 4):
        hand.note(bar * 4, 15.5, 38 + bar // 4 * 5, 48)
    return hand


def second_wheel() -> Hand:
    """The wheel of the drone, in a track of its own; a reset puts it back in the middle of a bend."""
    hand = Hand("Drone's wheel", 4, None, 55)
    for bar in (1, 5, 9):
        hand.sweep("pitchwheel", "pitch", [(bar * 4, 0), (bar * 4 + 4, -1600), (bar * 4 + 7, 0)])
    hand.send(38, "control_change", control=121, value=0)
    return hand


def _say(hand: Hand, beat: float, *controls: tuple[int, int]) -> None:
    for controller, value in controls:
        hand.send(beat, "control_change", control=controller, value=value)


def too_far(first: int) -> dict[str, object]:
    """A fall that goes further than the range does; `first` is the id of a note."""
    return {"kind": "bend.fall", "end": -5, "time": 1.5, "lift": 0.3, "where": {"notes": [[first, first]]}}
