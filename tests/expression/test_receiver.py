"""The receiver, against what the standard says: worked by hand, byte for byte."""

from typing import Any

import numpy as np
import pytest

from expression.errors import BadFile
from expression.receiver import Channel, Heard, receive
from expression.receiver_document import as_document
from tests.files import END, raw

TICKS = 480


def heard(*messages: tuple[int, str], tracks: list[list[tuple[int, str]]] | None = None) -> Heard:
    """What is heard of messages, each (delta ticks, bytes in hex)."""
    bodies = []
    for track in tracks or [list(messages)]:
        body = bytearray()
        for delta, data in track:
            body += bytes([delta >> 7 | 0x80, delta & 0x7F]) if delta > 127 else bytes([delta])
            body += bytes.fromhex(data)
        bodies.append(bytes(body) + END)
    return receive(raw(*bodies))


def only(found: Heard) -> Channel:
    (channel,) = found.channels.values()
    return channel


def steps(found: Any) -> list[tuple[float, float]]:
    return list(zip(found.ticks.tolist(), found.values.tolist(), strict=True))


def lengths(found: Heard) -> list[tuple[int, int, int, int]]:
    """Pitch, start, key up and end of every note."""
    return [(note.pitch, note.start, note.key_up, note.end) for note in found.notes]


def test_running_status_and_velocity_0() -> None:
    found = heard((0, "90 3C 40"), (10, "3E 50"), (10, "3C 00"), (10, "3E 00"))
    assert lengths(found) == [(60, 0, 20, 20), (62, 10, 30, 30)]
    assert [note.velocity for note in found.notes] == [64, 80]


def test_a_key_struck_twice_before_it_is_let_go_ends_the_older_note_first() -> None:
    assert lengths(heard((0, "903C40"), (10, "903C41"), (10, "803C00"), (10, "803C00"))) == [
        (60, 0, 20, 20), (60, 10, 30, 30),
    ]  # fmt: skip


def test_a_note_that_is_never_let_go_ends_with_the_file() -> None:
    assert lengths(heard((0, "903C40"), (100, "B00100"))) == [(60, 0, 100, 100)]


class TestPedals:
    @pytest.mark.parametrize(("depth", "end"), [(63, 20), (64, 50), (127, 50)])
    def test_sustain_holds_from_64_on(self, depth: int, end: int) -> None:
        found = heard((0, "903C40"), (10, f"B040{depth:02X}"), (10, "803C00"), (30, "B0403F"))
        assert lengths(found) == [(60, 0, 20, end)]

    def test_struck_again_under_the_pedal_the_held_note_ends(self) -> None:
        found = heard((0, "B0407F"), (0, "903C40"), (10, "803C00"), (10, "903C40"), (10, "803C00"), (10, "B04000"))
        assert lengths(found) == [(60, 0, 10, 20), (60, 20, 30, 40)]

    def test_sostenuto_holds_only_keys_that_were_down_when_it_was_pressed(self) -> None:
        found = heard(
            (0, "903C40"), (10, "B0427F"), (10, "903E40"), (10, "803C00"), (0, "803E00"), (20, "B04200")
        )  # fmt: skip
        assert lengths(found) == [(60, 0, 30, 50), (62, 20, 30, 30)]

    def test_one_pedal_lets_go_while_the_other_holds(self) -> None:
        found = heard(
            (0, "903C40"), (5, "B0427F"), (5, "B0407F"), (10, "803C00"), (10, "B04000"), (10, "B04200")
        )  # fmt: skip
        assert lengths(found) == [(60, 0, 20, 40)]

    def test_the_soft_pedal_holds_nothing(self) -> None:
        assert lengths(heard((0, "B0437F"), (0, "903C40"), (10, "803C00"), (10, "B04300"))) == [(60, 0, 10, 10)]


class TestModeMessages:
    def test_all_sound_off_ends_everything_at_once(self) -> None:
        found = heard((0, "B0407F"), (0, "903C40"), (10, "803C00"), (0, "903E40"), (10, "B07800"))
        assert lengths(found) == [(60, 0, 10, 20), (62, 10, 20, 20)]

    @pytest.mark.parametrize("number", ["7B", "7C", "7D", "7E", "7F"])
    def test_all_notes_off_lets_go_of_the_keys_and_the_pedal_still_holds(self, number: str) -> None:
        found = heard((0, "B0407F"), (0, "903C40"), (10, f"B0{number}00"), (10, "B04000"))
        assert lengths(found) == [(60, 0, 10, 20)]

    def test_reset_puts_back_what_rp_015_names_and_nothing_else(self) -> None:
        told = [1, 2, 7, 10, 11, 64, 65, 66, 67, 74, 91]
        messages = [(0, f"B0{number:02X}32") for number in told]
        found = only(heard(*messages, (0, "E00060"), (0, "D032"), (0, "A03C32"), (10, "B07900")))
        after = {number: found.controllers[number].at(10) for number in told}
        assert after == {1: 0, 2: 50, 7: 50, 10: 50, 11: 127, 64: 0, 65: 0, 66: 0, 67: 0, 74: 50, 91: 50}
        assert [lane.at(10) for lane in (found.bend, found.pressure, found.key_pressure[60])] == [0, 0, 0]

    def test_reset_ends_what_the_pedal_held_and_takes_the_parameter_back(self) -> None:
        found = heard(
            (0, "B06500"), (0, "B06400"), (0, "B0407F"), (0, "903C40"), (10, "803C00"), (10, "B07900"), (0, "B0060C"),
        )  # fmt: skip
        assert lengths(found) == [(60, 0, 10, 20)]
        assert only(found).bend_range.at(30) == 2

    def test_system_on_puts_a_module_in_its_first_state(self) -> None:
        found = only(heard(
            (0, "B06500"), (0, "B06400"), (0, "B0060C"), (0, "B00714"), (0, "E00060"), (10, "F0057E7F0901F7"),
        ))  # fmt: skip
        assert [lane.at(10) for lane in (found.bend_range, found.bend, found.controllers[7])] == [2, 0, 100]


class TestControllers:
    def test_a_coarse_half_sets_the_fine_one_to_0(self) -> None:
        found = only(heard((0, "B00B40"), (10, "B02B20"), (10, "B00B41"), (10, "B02B01")))
        assert steps(found.controllers[11]) == [(0, 64), (10, 64.25), (20, 65), (30, 65 + 1 / 128)]

    def test_after_a_reset_fine_halves_count_from_what_it_put_back(self) -> None:
        found = only(heard((0, "B00B40"), (10, "B02B20"), (10, "B07900"), (10, "B02B40")))
        assert steps(found.controllers[11])[-2:] == [(20, 127), (30, 127.5)]


class TestBendRange:
    FULL = "E07F7F"

    def reached(self, *messages: str) -> float:
        """How far the wheel goes, pushed up all the way after some messages."""
        return float(only(heard(*((1, one) for one in messages), (1, self.FULL))).bend.at(999)) * 8192 / 8191

    def test_two_semitones_until_told_otherwise(self) -> None:
        assert self.reached("B00100") == pytest.approx(2)

    @pytest.mark.parametrize("order", [("B06500", "B06400"), ("B06400", "B06500")])
    def test_selected_in_either_order_and_set_coarse_and_fine(self, order: tuple[str, str]) -> None:
        assert self.reached(*order, "B0060C", "B02632") == pytest.approx(12.5)

    def test_a_coarse_half_alone_sets_the_cents_to_0(self) -> None:
        assert self.reached("B06500", "B06400", "B0060C", "B02632", "B00607") == pytest.approx(7)

    def test_the_selection_stays_until_it_is_taken_back(self) -> None:
        assert self.reached("B06500", "B06400", "B0060C", "B00618") == pytest.approx(24)
        assert self.reached("B06500", "B06400", "B0060C", "B0657F", "B0647F", "B00618") == pytest.approx(12)

    def test_a_non_registered_parameter_is_not_mistaken_for_it(self) -> None:
        assert self.reached("B06500", "B06400", "B0060C", "B06300", "B06200", "B00618") == pytest.approx(12)
        # Half of a selection after a non-registered one is none yet.
        assert self.reached("B06500", "B06400", "B06300", "B06200", "B06500", "B00618") == pytest.approx(2)
        assert self.reached("B06300", "B06200", "B06500", "B06400", "B00618") == pytest.approx(24)

    def test_other_registered_parameters_are_others(self) -> None:
        assert self.reached("B06500", "B06401", "B0060C") == pytest.approx(2)

    def test_increment_and_decrement_go_by_cents_and_carry(self) -> None:
        chosen = ("B06500", "B06400")
        assert self.reached(*chosen, "B06000") == pytest.approx(2.01)
        assert self.reached(*chosen, *["B0607F"] * 100) == pytest.approx(3)
        assert self.reached(*chosen, "B06100") == pytest.approx(1.99)
        assert self.reached(*chosen, "B00600", "B06100") == pytest.approx(0)

    def test_a_wheel_that_is_held_moves_with_the_range(self) -> None:
        found = only(heard((0, "E00060"), (10, "B06500"), (0, "B06400"), (10, "B0060C")))
        assert steps(found.bend) == [(0, 1), (20, 6)]


def test_a_channel_is_one_over_all_tracks_and_another_on_another_port() -> None:
    port = "FF210101"
    found = heard(tracks=[
        [(0, "B06500"), (0, "B06400"), (0, "B0060C"), (0, "903C40"), (50, "803C00")],
        [(10, "E00060"), (0, "903E40"), (10, "B0407F"), (10, "803E00"), (30, "B04000")],
        [(0, port), (10, "E00060"), (0, "904040"), (50, "804000")],
    ])  # fmt: skip
    assert found.channels[0, 0].bend.at(10) == 6
    assert found.channels[1, 0].bend.at(10) == 1
    # The second track's pedal holds the first track's key.
    assert lengths(found) == [(60, 0, 50, 60), (62, 10, 30, 60), (64, 10, 60, 60)]
    assert [note.part for note in found.notes] == [0, 1, 2]


def test_the_clock_follows_changes_of_tempo() -> None:
    found = heard((0, "FF5103 07A120"), (480 >> 2, "FF5103 0F4240"), (120, "903C40"), (120, "803C00"))
    # 120 ticks at half a second a quarter, then 120 at a second.
    assert found.seconds(240) == pytest.approx(0.125 + 0.25)


def test_as_a_document_each_note_has_its_streams_from_its_start_to_its_end() -> None:
    found = heard(
        (0, "E00050"), (0, "D014"), (96, "903C40"), (96, "E00060"), (96, "D01E"), (0, "A03C28"), (96, "803C00"),
        (96, "E00040"),
    )  # fmt: skip
    (note,) = as_document(found)["notes"]
    assert note == {
        "part": 0, "pitch": 60, "velocity": 64, "start": 0.1, "key_up": 0.4, "end": 0.4,
        "bend": [[0.1, 0.5], [0.2, 1.0]], "pressure": [[0.1, 20.0], [0.3, 30.0], [0.3, 40.0]],
        "timbre": [[0.1, 64.0]],
    }  # fmt: skip


@pytest.mark.parametrize("data", [b"", b"MThd", b"RIFF" + bytes(40), raw(b"\x00\x90\x3c")])
def test_what_is_no_file_is_refused(data: bytes) -> None:
    with pytest.raises(BadFile):
        receive(data)


def test_values_before_anything_was_said_are_not_known() -> None:
    found = only(heard((10, "B00114")))
    assert np.isnan(found.controllers[1].at(9))
    assert found.controllers[1].at([10, 11]).tolist() == [20, 20]
