"""From a take to the bytes of a Standard MIDI File."""

from dataclasses import replace

import numpy as np

from expression.arrays import frozen
from expression.midi import smf
from expression.midi.emit import emit
from expression.take import Take


def write(take: Take, tolerance: float = 0.0) -> bytes:
    """The file of a take, of the type it came as, at the source's own resolution where every time allows it.

    `tolerance` as in `emit`.
    """
    tracks = emit(take, tolerance)
    factor = take.header.factor
    if all(not (track.tick % factor).any() for track in tracks):
        tracks = tuple(replace(track, tick=frozen(track.tick // factor, np.int64)) for track in tracks)
        return smf.compose(take.header.format, take.header.division, list(tracks))
    return smf.compose(take.header.format, take.resolution, list(tracks))
