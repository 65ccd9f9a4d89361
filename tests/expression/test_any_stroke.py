"""Whatever a stroke says: it is refused with a sentence, or it leaves a take that can be written and read again."""

from typing import Any

import mido
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from expression import views
from expression.errors import BadStroke
from expression.history import History, Shaped
from expression.midi.playback import message_bytes, stream
from expression.midi.read import read
from expression.midi.write import write
from expression.strokes import KINDS, parse_stroke
from tests.files import NOTE, file_of, phrase
from tests.lanes import wheel
from tests.strokes import strokes_of


def _recorded() -> bytes:
    bent = [NOTE("pitchwheel", pitch=pitch, time=120) for pitch in (0, 3000, 8191, -8192, 0)]
    merged = mido.merge_tracks(
        [
            mido.MidiTrack(phrase([1, 64, 65, 127, 30, 90])),
            mido.MidiTrack(wheel([5, 60, 61, 127, 0, 9], gap=100)),
            mido.MidiTrack(wheel([127, 0], gap=700, control=64)),
            mido.MidiTrack(bent),
        ]
    )
    return file_of([message for message in merged if not message.is_meta], phrase([80] * 4, channel=1))


TAKE = Shaped.of(read(_recorded()))


@pytest.mark.parametrize("kind", sorted(KINDS))
@settings(max_examples=30)
@given(data=st.data())
def test_a_stroke_is_refused_or_leaves_a_sound_take(kind: str, data: st.DataObject) -> None:
    said: dict[str, Any] = data.draw(strokes_of(kind))
    try:
        stroke = parse_stroke(said)
    except BadStroke as refused:
        assert str(refused).endswith(".")
        return
    shaped = TAKE.with_history(History().add(stroke))
    if reason := shaped.now.idle.get(1):
        assert reason.sentence.endswith(".")
        return
    made = shaped.now.take
    again = read(write(made))
    assert again.remarks == ()
    # A part without a note or an event is no part of a file.
    assert again.note_count == sum(int((~part.notes.muted).sum()) for part in made.parts)
    for part in made.parts:
        assert np.all((part.notes.velocity >= 1) & (part.notes.velocity <= 127))
        assert sorted(part.notes.start.tolist()) == part.notes.start.tolist()
        for lane in part.lanes.values():
            assert np.isfinite(lane.curve.values).all()
            assert np.all(np.diff(lane.curve.ticks) >= 0)
            assert len(lane.curve.ticks) == len(lane.origin) == len(lane.touched)
        assert views.lanes.lanes(part) is not None
    told, begins = stream(made), stream(made, made.end // 2)
    assert len(mido.parse_all(message_bytes(told))) == len(told.seconds)
    # What is sent before a moment is the beginning of what is sent.
    sent = len(begins.seconds)
    for column in told._fields:
        assert np.array_equal(getattr(begins, column), getattr(told, column)[:sent])
    assert (told.seconds[sent:] >= made.tempo.seconds(made.end // 2)).all()
    assert views.strokes.history(shaped)["strokes"][0]["mark"]["label"]
    assert views.changes.changes(TAKE.recorded, made) is not None
    assert views.events.page(made, 0, 500)["total"] > 0
    assert views.page.page(made)["end"] == made.end


@pytest.mark.parametrize(
    ("stroke", "field"),
    [
        ({"kind": "velocity.set", "value": True}, "value"),
        ({"kind": "velocity.nudge", "by": False}, "by"),
        ({"kind": "lane.draw", "lane": "cc:1", "points": [[0, 10], [True, 20]]}, "points"),
        ({"kind": "velocity.set", "value": 3, "where": {"span": [False, True]}}, "span"),
    ],
)
def test_true_and_false_are_no_numbers(stroke: dict[str, Any], field: str) -> None:
    with pytest.raises(BadStroke, match=f"{field} must be a number, not true or false"):
        parse_stroke(stroke)
