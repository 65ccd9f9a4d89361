"""Texts of a take: those that were recorded, as strokes have left them (SMF 1.0, meta events 01 to 0F)."""

import numpy as np

from expression.memo import worked_out
from expression.midi.ground import with_meta
from expression.midi.words import LAST_TEXT, text_of
from expression.status import META
from expression.take import Events, Take, Text


@worked_out(2)
def texts_of(take: Take) -> tuple[Text, ...]:
    """All texts, in the order of time."""
    found = list(take.texts)
    for number, track in enumerate(take.tracks):
        first = int(take.rows.first[number])
        is_text = (track.status == META) & (track.data1 >= 1) & (track.data1 <= LAST_TEXT) & (track.payload >= 0)
        for row in np.flatnonzero(is_text).tolist():
            if first + row not in take.dropped_texts:
                words = text_of(track.payloads[int(track.payload[row])])
                found.append(Text(first + row, number, int(track.tick[row]), int(track.data1[row]), words))
    return tuple(sorted(found, key=lambda one: (one.tick, one.track, one.id)))


def with_texts(take: Take, number: int, events: Events) -> Events:
    """A track with the texts in it that strokes have put there."""
    said = [(one.tick, one.number, one.words.encode()) for one in take.texts if one.track == number]
    return with_meta(events, sorted(said, key=lambda one: one[0]))
