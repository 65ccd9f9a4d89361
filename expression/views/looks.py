"""How a part looks and sounds on the desk before a player says otherwise: dye, seal, practice patch, voices."""

import numpy as np

from expression import percussion
from expression.pitch import NOTE_NAMES
from expression.take import Part

DYES = ("indigo", "walnut", "verdigris", "orchil", "weld", "madder", "woad", "oakgall")
"""Natural dyes, one for each part in turn; the page knows their colours."""
PATCHES = ("thumb piano", "reed box", "bowed glass", "frame drum")
REEDS_AND_PIPES = (*range(16, 24), *range(56, 80))
STRINGS_AND_PADS = (*range(40, 56), *range(80, 104))


def dye(part_id: int) -> str:
    """The dye of a part."""
    return DYES[part_id % len(DYES)]


def seal(part_id: int) -> str:
    """A letter for each part, so that it can be told without its dye: A to Z, then AA, AB ..."""
    letters = ""
    number = part_id + 1
    while number:
        number, letter = divmod(number - 1, 26)
        letters = chr(ord("A") + letter) + letters
    return letters


def patch(part: Part) -> str:
    """The practice patch that suits a part: by its program (GM level 1), for want of one by how its notes are held."""
    if part.channel.number == percussion.CHANNEL:
        return PATCHES[3]
    if part.program in STRINGS_AND_PADS:
        return PATCHES[2]
    if part.program is not None:
        held = part.program in REEDS_AND_PIPES
    else:
        notes = part.notes
        gaps = float(np.median(np.diff(notes.start))) if len(notes) > 1 else 0.0
        held = len(notes) > 1 and float(np.median(notes.end - notes.start)) > 1.5 * max(gaps, 1.0)
    return PATCHES[1] if held else PATCHES[0]


def voices(part: Part) -> dict[int, str]:
    """The standard's names of the keys that a percussion part plays."""
    if part.channel.number != percussion.CHANNEL:
        return {}
    pitches = np.unique(part.notes.pitch).tolist()
    return {pitch: percussion.voice_name(pitch) or NOTE_NAMES[pitch] for pitch in pitches}
