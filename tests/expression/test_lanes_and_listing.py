import numpy as np
import pytest

from demo.fog_signal import the_keepers_log, the_lamp_room, the_stair
from expression import views
from expression.lanes import CHANNEL_LANES, LANES, VELOCITY, Form, LaneKind
from expression.midi.read import read
from expression.midi.write import write
from expression.strokes import parse_stroke
from expression.views.contours import MOST_POINTS, contours
from tests.files import NOTE, events, file_of, phrase


def test_every_controller_has_a_name_and_a_unit() -> None:
    # Parameter and mode messages are events, not values that last.
    assert len(CHANNEL_LANES) == 2 + 120 - 8
    assert (LANES["cc:1"].name, LANES["cc:33"].name, LANES["cc:3"].name) == (
        "Mod wheel",
        "Mod wheel fine",
        "Controller 3",
    )
    assert LANES["bend"].unit == "semitones"
    assert LANES["cc:7"].default == 100
    assert LANES["cc:11"].title == "CC 11 Expression"


def test_a_lane_has_a_form_by_what_it_holds() -> None:
    held = [np.array(values) for values in ([0.0, 127.0], [0.0, 40.0], [])]
    assert [LANES["cc:64"].form_of(values) for values in held] == [Form.SWITCH, Form.PEDAL, Form.SWITCH]
    assert [LANES["cc:68"].form_of(values) for values in held] == [Form.SWITCH, Form.PEDAL, Form.SWITCH]
    assert {LANES["cc:11"].form_of(values) for values in held} == {Form.LEVEL}
    assert {LANES["cc:10"].form_of(values) for values in held} == {Form.CENTRED}


@pytest.mark.parametrize("kind", [VELOCITY, *CHANNEL_LANES.values()], ids=lambda kind: kind.key)
def test_every_kind_of_lane_makes_sense(kind: LaneKind) -> None:
    assert kind.low <= kind.default <= kind.high
    assert kind.low <= kind.middle <= kind.high
    assert all(kind.low <= value <= kind.high for value in (*kind.marks, *kind.rounds))
    assert all(kind.low <= value <= kind.high for _, value in kind.words)
    assert kind.step > 0 and kind.error <= kind.step


@pytest.mark.parametrize("kind", list(CHANNEL_LANES.values()), ids=lambda kind: kind.key)
def test_what_goes_down_the_cable_comes_back(kind: LaneKind) -> None:
    codes = np.arange(kind.wire.highest + 1)
    one, two = (np.asarray(column, dtype=np.uint8) for column in kind.wire.data(codes))
    assert (one < 128).all() and (two < 128).all()
    assert np.array_equal(kind.wire.code(one, two), codes)
    status = np.full(len(codes), kind.wire.status)
    assert kind.wire.own(status, one).all()
    # And to no other lane, but to the coarse one that a fine half belongs to.
    others = [other.key for other in CHANNEL_LANES.values() if other is not kind and other.wire.own(status, one).any()]
    assert others == []


def control(number: int, value: int, time: int = 0) -> object:
    return NOTE("control_change", control=number, value=value, time=time)


def test_a_controller_and_its_fine_half_are_one_lane() -> None:
    data = file_of([control(33, 9), control(1, 64, 10), control(33, 32, 10), control(1, 65, 10)])
    take = read(data)
    lanes = take.parts[0].lanes
    assert set(lanes) == {"cc:1"}
    assert lanes["cc:1"].curve.values.tolist() == pytest.approx([9 / 128, 64, 64.25, 65])
    assert events(write(take)) == events(data)


def test_a_fine_half_alone_stays_itself() -> None:
    assert set(read(file_of([control(33, 9), control(64, 1), control(96 - 64, 3)])).parts[0].lanes) == {
        "cc:32",
        "cc:33",
        "cc:64",
    }


def test_contours_follow_bend_expression_and_pressure() -> None:
    track = [
        control(11, 127),
        NOTE("note_on", note=60, velocity=64),
        NOTE("pitchwheel", pitch=8191, time=100),
        control(11, 64, 100),
        NOTE("aftertouch", value=127, time=100),
        NOTE("note_off", note=60, time=100),
        NOTE("pitchwheel", pitch=0, time=50),
        NOTE("note_on", note=62, velocity=64, time=50),
        NOTE("note_off", note=62, time=50),
    ]
    shape = contours(read(file_of(track)).parts[0])
    assert shape is not None
    # What is held for long is held up to the tick before it changes: a step is no slope.
    assert shape["count"] == [7, 1]
    assert shape["tick"] == [0, 199, 200, 399, 400, 599, 600, 0]
    assert shape["bend"] == [0, 0, 200, 200, 200, 200, 200, 0]
    assert shape["loud"] == [100, 100, 100, 100, 50, 50, 50, 50]
    assert shape["ink"] == [25, 25, 25, 25, 25, 25, 75, 75]


def test_a_part_without_such_lanes_has_no_contour() -> None:
    assert contours(read(file_of(phrase([64]))).parts[0]) is None
    assert contours(read(file_of([control(11, 5)])).parts[0]) is None


def test_contours_of_dense_data_stay_drawable_and_within_their_notes() -> None:
    for part in read(the_lamp_room()).parts:
        shape = contours(part)
        if shape is None:
            continue
        count = np.array(shape["count"])
        assert count.max() <= MOST_POINTS
        length = np.repeat(part.notes.end - part.notes.start, count)
        assert (np.array(shape["tick"]) < np.maximum(length, 1)).all()
        assert (np.diff(shape["tick"])[np.diff(np.repeat(np.arange(len(count)), count)) == 0] > 0).all()


def test_a_played_phrase_is_alive_and_a_flat_one_flat() -> None:
    lead = contours(read(the_stair()).parts[0])
    assert lead is not None
    assert np.ptp(lead["bend"]) > 50
    assert np.ptp(lead["ink"]) > 20


def test_lanes_are_told_with_count_range_and_lead_in() -> None:
    parts = views.page.page(read(the_stair()))["parts"]
    expression, pedal = parts[1]["lanes"]
    assert (expression["key"], pedal["key"]) == ("cc:11", "cc:64")
    assert not expression["leads_in"]
    assert parts[2]["drum"]
    assert parts[2]["voices"][36] == "Bass drum"
    (first, *_), *_ = (views.lanes.lanes(read(the_stair()).parts[1]),)
    assert len(first["tick"]) == expression["nodes"]
    assert sum(first["tick"]) > 0


def test_flags_are_what_is_neither_note_nor_lane() -> None:
    kinds = {flag["kind"] for flag in views.page.page(read(the_keepers_log()))["flags"]}
    assert kinds == {"text", "exclusive", "tempo", "program", "metre", "key"}


class TestListing:
    def test_rows_tell_place_part_kind_number_value_and_length(self) -> None:
        take = read(file_of([control(7, 90), *phrase([64], pitch=60), NOTE("pitchwheel", pitch=-8192, time=480)]))
        rows = views.events.page(take, 0, 10)["rows"]
        assert [(row["kind"], row["number"], row["value"], row["length"]) for row in rows] == [
            ("controller", "7 Volume", "90", 0), ("note", "C4", "64", 480), ("bend", "", "-2.00", 0),
        ]  # fmt: skip
        assert (rows[2]["bar"], rows[2]["beat"], rows[2]["rest"]) == (1, 2, 480)
        assert rows[1]["note"] == 0

    def test_everything_in_a_take_is_listed_but_ends(self) -> None:
        take = read(the_stair())
        total = sum(len(track) for track in take.tracks)
        assert views.events.page(take, 0, 1)["total"] == total - take.note_count - len(take.tracks)

    def test_filters_by_kind_and_part_and_finds_a_note(self) -> None:
        take = read(the_stair())
        notes = views.events.page(take, 0, 500, kinds=["note"], parts=[3])
        assert notes["total"] == len(take.parts[3].notes)
        wanted = int(take.parts[3].notes.id[120])
        found = views.events.page(take, 0, 30, note=wanted)
        assert wanted in [row["note"] for row in found["rows"]]

    def test_pages_join(self) -> None:
        take = read(the_keepers_log())
        whole = views.events.page(take, 0, 500)["rows"]
        assert whole == [row for first in range(0, 500, 50) for row in views.events.page(take, first, 50)["rows"]]

    def test_it_shows_the_take_as_shaped(self) -> None:
        take = parse_stroke({"kind": "velocity.set", "value": 7}).apply(read(file_of(phrase([64]))))
        assert views.events.page(take, 0, 1)["rows"][0]["value"] == "7"

    def test_unpaired_notes_say_so(self) -> None:
        take = read(file_of([NOTE("note_on", note=60, velocity=9), NOTE("note_off", note=61)]))
        assert [row["value"] for row in views.events.page(take, 0, 9)["rows"]] == ["never ends", "never began"]
