"""What instruments do by themselves: found, told in words, and put right."""

import pytest

from expression.gear import forces, listened, played_through


def says(messages: list[tuple[float, str]], seconds: float = 3.0) -> list[tuple[str, str | None]]:
    return [(one["says"], one["mend"] and one["mend"]["do"]) for one in listened(messages, seconds)]


def test_a_quiet_instrument_has_nothing_to_tell() -> None:
    assert says([]) == []
    assert says([(0.1, "e00040"), (0.2, "b04000")]) == []


def test_a_fader_that_moves_by_itself() -> None:
    fader = [(row / 40, f"b007{98 + row % 4:02x}") for row in range(120)]
    assert says(fader) == [("Volume moves by itself, 40 times a second, between 98 and 101.", "ignore")]


def test_a_controller_that_says_the_same_again_and_again() -> None:
    assert says([(row / 10, "b00b40") for row in range(30)]) == [
        ("Expression says 64 again and again, 10 times a second.", "thin")
    ]


@pytest.mark.parametrize(("code", "rest"), [("e02540", 37), ("e05b3f", -37)])
def test_a_wheel_that_rests_beside_its_middle(code: str, rest: int) -> None:
    (found,) = listened([(0.5, code)], 3.0)
    assert found["says"] == f"The bend wheel rests at {rest:+d} instead of in its middle."
    assert found["mend"] == {"do": "centre", "kind": "bend", "rest": rest, "slack": 6}


def test_a_wheel_that_trembles_is_centred_with_as_much_room_as_it_needs() -> None:
    (found,) = listened([(row / 20, f"e0{16 + row % 3 * 10:02x}40") for row in range(21)], 3.0)
    assert found["says"] == "The bend wheel moves by itself, between +16 and +36."
    assert found["mend"] == {"do": "centre", "kind": "bend", "rest": 26, "slack": 16}


def test_a_pedal_the_wrong_way_round_and_a_trembling_foot() -> None:
    assert [how for _, how in says([(0.1, "b0407f")])] == ["turn"]
    assert says([(row / 30, f"b040{row % 5:02x}") for row in range(90)]) == [
        ("Sustain pedal trembles, 30 times a second, between 0 and 4.", "ignore")
    ]


def test_keys_that_strike_by_themselves() -> None:
    assert says([(0.1, "903c40"), (0.2, "803c40"), (0.3, "904005")]) == [("Keys strike by themselves: C4, E4.", None)]


def test_broken_bytes_are_passed_over() -> None:
    assert says([(0.1, "90"), (0.1, "zz"), (0.2, "ff")]) == []


def test_of_a_pass_what_no_hand_can_have_played() -> None:
    line = [(beat * 0.5, "903c50") for beat in range(8)] + [(beat * 0.5 + 0.012, "903c30") for beat in range(3)]
    fader = [(row / 40, f"b007{98 + row % 4:02x}") for row in range(160)]
    told = [one["says"] for one in played_through([*line, *fader])]
    assert told[-1] == "Keys strike twice: 3 times within 30 ms."
    assert told[0].startswith("Volume moves by itself")
    # A swell that a hand makes is none of it.
    assert played_through([(row / 40, f"b001{row % 100:02x}") for row in range(160)]) == []


def test_forces_are_learned_and_never_fall() -> None:
    learned = forces([20, 22, 24], [50, 52, 54], [80, 84, 90])
    assert (learned[22], learned[52], learned[84]) == (32, 72, 112)
    assert learned == sorted(learned)
    assert (learned[0], learned[127]) == (0, 128 - 1)
    with pytest.raises(ValueError, match="must grow harder"):
        forces([50], [40], [90])
