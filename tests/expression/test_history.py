import pytest
from hypothesis import given
from hypothesis import strategies as st

from expression import history
from expression.errors import BadStep
from expression.history import History, Shaped
from expression.midi.read import read
from expression.strokes import AnyStroke, parse_stroke
from expression.take import Take
from tests.files import file_of, phrase

TAKE = read(file_of(phrase([64, 64, 64, 64])))


def setting(value: int, first: int = 0, last: int = 3) -> AnyStroke:
    return parse_stroke({"kind": "velocity.set", "value": value, "where": {"notes": [[first, last]]}})


def velocities(take: Take) -> list[int]:
    return list(take.parts[0].notes.velocity.tolist())


def test_undo_and_redo_walk_through_every_kind_of_step() -> None:
    history = (
        History().add(setting(10)).add(setting(20, 0, 1)).change(1, on=False).change(2, setting(30, 0, 0)).delete(2)
    )
    seen = [velocities(Shaped.of(TAKE, history).now.take)]
    while history.done:
        history = history.undo()
        seen.append(velocities(Shaped.of(TAKE, history).now.take))
    assert seen == [
        [64, 64, 64, 64],
        [30, 64, 64, 64],
        [20, 20, 64, 64],
        [20, 20, 10, 10],
        [10, 10, 10, 10],
        [64, 64, 64, 64],
    ]
    for expected in reversed(seen[:-1]):
        history = history.redo()
        assert velocities(Shaped.of(TAKE, history).now.take) == expected


def test_nothing_to_undo_or_redo_says_so() -> None:
    with pytest.raises(BadStep, match="as it was recorded"):
        History().undo()
    with pytest.raises(BadStep, match="nothing to redo"):
        History().redo()
    with pytest.raises(BadStep, match="no stroke 7"):
        History().change(7, on=False)


def test_a_new_stroke_after_undo_takes_the_place_of_what_was_undone() -> None:
    history = History().add(setting(10)).add(setting(20)).undo().add(setting(30))
    assert [entry.number for entry in history.entries()] == [1, 2]
    assert velocities(Shaped.of(TAKE, history).now.take) == [30] * 4
    assert not history.undone()


def test_a_stroke_whose_notes_are_out_of_reach_lies_idle_with_the_reason() -> None:
    shaped = Shaped.of(TAKE, History().add(setting(10, 90, 91)).add(setting(20)))
    assert "There is no note 90: the notes of this recording are numbered from 0 to 3" in shaped.now.idle[1].sentence
    assert velocities(shaped.now.take) == [20] * 4


def test_before_is_the_take_before_the_newest_stroke_or_before_a_named_one() -> None:
    shaped = Shaped.of(TAKE, History().add(setting(10)).add(setting(20)).add(setting(30)))
    assert velocities(shaped.before) == [20] * 4
    assert velocities(shaped.before_stroke(1)) == [64] * 4
    assert velocities(Shaped.of(TAKE).before) == [64] * 4


@given(st.lists(st.integers(0, 4), max_size=25), st.randoms(use_true_random=False))
def test_going_on_from_what_is_known_is_the_same_as_beginning_anew(acts: list[int], dice: object) -> None:
    history, shaped = History(), Shaped.of(TAKE)
    for act in acts:
        numbers = [entry.number for entry in history.entries()]
        number = dice.choice(numbers) if numbers else None  # type: ignore[attr-defined]
        value = dice.randint(1, 127)  # type: ignore[attr-defined]
        if act == 0 or number is None:
            history = history.add(setting(value, value % 4, 3))
        elif act == 1:
            history = history.change(number, setting(value))
        elif act == 2:
            history = history.change(number, on=not history.entry(number).on)
        elif act == 3 and history.done:
            history = history.undo()
        elif history.done < len(history.steps):
            history = history.redo()
        shaped = shaped.with_history(history)
        assert velocities(shaped.now.take) == velocities(Shaped.of(TAKE, history).now.take)


def test_a_stroke_shares_all_that_it_leaves_alone() -> None:
    two_parts = read(file_of(phrase([64]), phrase([64], channel=1)))
    made = parse_stroke({"kind": "velocity.set", "value": 3, "where": {"parts": [0]}}).apply(two_parts)
    assert made.parts[1] is two_parts.parts[1]
    assert made.parts[0].notes.start is two_parts.parts[0].notes.start
    assert velocities(two_parts) == [64]
    assert not made.parts[0].notes.velocity.flags.writeable


def test_every_step_says_what_it_did() -> None:
    hairpin = parse_stroke({"kind": "velocity.hairpin", "start": 20, "end": 90})
    eased = parse_stroke({"kind": "velocity.hairpin", "start": 20, "end": 90, "lift": -0.5, "peak": 100})
    history = History().add(hairpin).change(1, eased).change(1, on=False).change(1, on=True).delete(1)
    assert [history.says(done) for done in range(1, 6)] == [
        "Hairpin 20 → 90",
        "Swell 20 → 100 → 90: peak none → 100, lift 0 → −0.5",
        "Switched off: Swell 20 → 100 → 90",
        "Switched on: Swell 20 → 100 → 90",
        "Deleted: Swell 20 → 100 → 90",
    ]
    assert history.jump(1).undone() == [(done, history.says(done)) for done in range(2, 6)]


def test_what_takes_many_signs_is_only_named() -> None:
    drawn = [
        parse_stroke({"kind": "velocity.draw", "points": [[0, 20], [960, to]], "where": {"parts": [0]}})
        for to in (60, 61)
    ]
    assert History().add(drawn[0]).change(1, drawn[1]).says(2) == "Drawn 20 → 61: other points"
    moved = drawn[0].model_copy(update={"where": drawn[0].where.model_copy(update={"parts": (1,)})})
    assert History().add(drawn[0]).change(1, moved).says(2) == "Drawn 20 → 60: another place"


def test_a_history_has_so_many_steps_and_no_more(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(history, "MOST_STEPS", 3)
    known = History()
    for value in (1, 2, 3):
        known = known.add(parse_stroke({"kind": "velocity.set", "value": value}))
    with pytest.raises(BadStep, match="which is the most; undo some"):
        known.add(parse_stroke({"kind": "velocity.set", "value": 4}))
    # A step back makes room for another.
    assert known.undo().add(parse_stroke({"kind": "velocity.set", "value": 5})).done == 3
