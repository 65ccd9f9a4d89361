"""Rules of performance against their published formulas, worked out here once more; and a first shape of several."""

import json
import math
from typing import Any

import numpy as np
import pytest

from demo.fog_signal import the_keepers_log, the_lamp_room
from expression.errors import BadStroke, NothingMatched
from expression.history import applied
from expression.midi.read import read
from expression.midi.write import write
from expression.phrases import line_of, phrases_of, strengths
from expression.strokes import KINDS as ALL_KINDS
from expression.strokes import parse_stroke
from expression.take import Take
from tests.files import file_of

QUARTER = 480


def take_of(*notes: tuple[float, float, int, int], bpm: float = 120, channel: int = 0) -> Take:
    """Notes as (start, length) in quarters, pitch, velocity."""
    import mido

    told = [(start, 1, pitch, velocity) for start, _, pitch, velocity in notes]
    told += [(start + length, 0, pitch, 0) for start, length, pitch, _ in notes]
    track, now = [mido.MetaMessage("set_tempo", tempo=round(60e6 / bpm))], 0
    for start, on, pitch, velocity in sorted(told):
        tick = round(start * QUARTER)
        kind = "note_on" if on else "note_off"
        track.append(mido.Message(kind, note=pitch, velocity=velocity, time=tick - now, channel=channel))
        now = tick
    return read(file_of(track, ticks=QUARTER))


def shaped(take: Take, kind: str, **fields: Any) -> Take:
    return applied(parse_stroke({"kind": kind, **fields}), take)


def velocities(take: Take) -> list[int]:
    notes = take.parts[0].notes
    return [int(one) for one in notes.velocity[np.lexsort((notes.pitch, notes.start))]]


def louder(velocity: int, decibels: float) -> int:
    return min(max(math.floor(velocity * 10 ** (decibels / 40) + 0.5), 1), 127)


def starts(take: Take) -> list[float]:
    """Milliseconds, by pitch."""
    notes = take.parts[0].notes
    order = np.lexsort((notes.start, notes.pitch))
    return [round(float(one) * 1000, 1) for one in take.tempo.seconds(notes.start[order])]


SCALE = take_of(*((step, 0.9, 60 + 2 * step, 80) for step in range(8)))


class TestPhrases:
    def test_strengths_are_those_of_the_model(self) -> None:
        # Pitch 0 2 4 0 (intervals 2 2 4), onsets 1 1 2 quarters apart, the third note short: a rest of one quarter.
        take = take_of((0, 1, 60, 80), (1, 1, 62, 80), (2, 1, 64, 80), (4, 1, 60, 80))
        found = strengths(line_of(take, 0), take.resolution)
        pitch = np.array([2 * 0.0, 2 * (0 + 2 / 6), 4 * (2 / 6)])
        gaps = np.array([1 * 0.0, 1 * (0 + 1 / 3), 2 * (1 / 3)])
        rests = np.array([0.0, 0.0, 1 * 1.0])
        wanted = 0.25 * pitch / pitch.max() + 0.5 * gaps / gaps.max() + 0.25 * rests / rests.max()
        assert found.tolist() == pytest.approx([0.0, *wanted])

    def test_a_line_breathes_where_it_rests(self) -> None:
        notes = [(bar * 4 + step * 0.5, 0.5, 60 + step, 80) for bar in range(4) for step in range(5)]
        take = take_of(*notes)
        assert [int(one) // take.resolution for one in phrases_of(take, 0).phrases] == [0, 4, 8, 12]

    def test_a_phrase_begins_with_a_group(self) -> None:
        take = read(the_keepers_log())
        for part in take.parts:
            found = phrases_of(take, part.id)
            assert set(found.phrases.tolist()) <= set(found.groups.tolist())
            assert found.phrases[0] == line_of(take, part.id).onset[0]

    def test_nobody_plays_for_an_hour_without_a_breath(self) -> None:
        take = take_of(*((step * 0.5, 0.5, 60, 80) for step in range(2000)))
        found = phrases_of(take, 0).phrases
        assert len(found) > 1
        assert np.diff(np.append(found, 1000 * take.resolution)).max() <= 32 * take.resolution

    @pytest.mark.parametrize("notes", [[], [(0, 1, 60, 80)], [(0, 1, 60, 80), (0, 1, 64, 80)]])
    def test_of_next_to_nothing_there_is_one_phrase(self, notes: list[tuple[float, float, int, int]]) -> None:
        take = take_of((0, 1, 50, 80), *notes) if notes else take_of((0, 1, 50, 80))
        assert phrases_of(take, 0).phrases.tolist() == [0]


class TestForce:
    def test_high_is_loud_by_three_decibels_an_octave(self) -> None:
        take = take_of((0, 1, 48, 80), (1, 1, 60, 80), (2, 1, 72, 80))
        assert velocities(shaped(take, "rule.high")) == [louder(80, -3), 80, louder(80, 3)]
        assert velocities(shaped(take, "rule.high", amount=-2)) == [louder(80, 6), 80, louder(80, -6)]
        assert velocities(shaped(take, "rule.high", about=72)) == [louder(80, -6), louder(80, -3), 80]

    def test_the_keys_of_a_kit_are_no_pitches(self) -> None:
        take = take_of((0, 1, 36, 80), (1, 1, 60, 80), channel=9)
        assert velocities(shaped(take, "rule.high")) == [80, 80]

    def test_short_is_soft_by_the_table(self) -> None:
        # At 120 a quarter lasts 500 ms.
        take = take_of((0, 0.06, 60, 100), (1, 0.4, 60, 100), (2, 0.6, 60, 100), (3, 0.8, 60, 100), (4, 2, 60, 100))
        wanted = [louder(100, k) for k in (0.0, -0.825, -0.825 + 0.3 * 100 / 200, -0.525, 0.0)]
        assert velocities(shaped(take, "rule.contrast")) == wanted

    def test_an_arch_is_a_parabola_over_the_phrase(self) -> None:
        peak = 2 / 7
        before = [louder(80, 6 * (0.5 - ((peak - x / 7) / peak) ** 2)) for x in range(2)]
        after = [louder(80, 6 * (0.5 - ((x / 7 - peak) / (1 - peak)) ** 2)) for x in range(2, 8)]
        assert velocities(shaped(SCALE, "rule.arch", peak_at=peak)) == [*before, *after]
        alone = take_of((0, 1, 60, 80))
        assert velocities(shaped(alone, "rule.arch")) == [80]

    def test_the_metre_has_four_levels(self) -> None:
        take = take_of(*((step / 4, 0.2, 60, 80) for step in range(16)))
        levels = [4, 0, 1, 0, 2, 0, 1, 0, 3, 0, 1, 0, 2, 0, 1, 0]
        assert velocities(shaped(take, "rule.metre")) == [louder(80, level - 2) for level in levels]

    def test_the_upper_voice_stands_out_of_its_chord(self) -> None:
        take = take_of((0, 1, 60, 80), (0, 1, 64, 80), (0, 1, 67, 80), (1, 1, 60, 80))
        assert velocities(shaped(take, "rule.voice")) == [*[louder(80, -1.5)] * 2, louder(80, 1.5), 80]


class TestTime:
    def test_the_melody_leads(self) -> None:
        take = take_of((1, 1, 60, 80), (1, 1, 64, 80), (2, 1, 67, 80))
        assert starts(shaped(take, "rule.lead")) == pytest.approx([500, 480, 1000], abs=0.6)
        assert starts(shaped(take, "rule.lead", amount=-1)) == pytest.approx([500, 520, 1000], abs=0.6)

    def test_what_the_melody_leads_is_spread_from_below(self) -> None:
        take = take_of(*((1, 1, pitch, 80) for pitch in (67, 48, 60, 55)))
        assert starts(shaped(take, "rule.lead")) == pytest.approx([500, 504, 508, 480], abs=0.6)

    def test_before_a_leap_there_is_air(self) -> None:
        take = take_of(
            (0, 1, 60, 80), (1, 1, 72, 80), (2, 1, 68, 80), (3, 1, 61, 80), (4, 0.05, 73, 80), (5, 1, 60, 80)
        )
        made = shaped(take, "rule.leaps").parts[0].notes
        order = np.argsort(made.start)
        seconds = (take.tempo.seconds(made.end[order]) - take.tempo.seconds(made.start[order])).tolist()
        # An octave, a third (nothing), a fifth, an octave; what has let go already, nothing more.
        assert seconds == pytest.approx([0.44, 0.5, 0.465, 0.44, 0.025, 0.5], abs=1e-3)

    def test_gaps_come_after_groups_and_before_the_same_again(self) -> None:
        notes = [(bar * 4 + step, 1.0, 60 + 2 * step, 80) for bar in range(3) for step in range(3)]
        take = take_of(*notes, (12, 1, 70, 80), (13, 1, 70, 80))
        made = shaped(take, "rule.gaps").parts[0].notes
        order = np.argsort(made.start)
        seconds = take.tempo.seconds(made.end[order]) - take.tempo.seconds(made.start[order])
        # There is a rest after each group already; the repeated note lets go 40 ms before.
        assert seconds.tolist() == pytest.approx([*[0.5] * 9, 0.46, 0.5], abs=1e-3)

    @pytest.mark.parametrize(("bpm", "ratio"), [(60, 3.5), (120, 3.5), (200, 2.0), (240, 1.5), (300, 1.0)])
    def test_swing_is_what_players_do_at_that_tempo(self, bpm: float, ratio: float) -> None:
        take = take_of((0, 0.5, 60, 80), (0.5, 0.5, 62, 80), (1, 0.5, 64, 80), bpm=bpm)
        beat = 60_000 / bpm
        made = starts(shaped(take, "rule.swing"))
        assert made == pytest.approx([0, beat * ratio / (ratio + 1), beat], abs=1.2)


class TestLong:
    def test_long_notes_swell_and_short_ones_do_not(self) -> None:
        take = take_of((0, 2, 60, 80), (2, 0.5, 62, 80), (3, 2, 64, 80))
        curve = shaped(take, "rule.swell", amount=0.5).parts[0].lanes["cc:11"].curve
        quarter = take.resolution
        assert curve.at(np.array([0, 0.8 * quarter, 3 * quarter, 3.8 * quarter])) == pytest.approx(
            [102, 120, 102, 120], abs=0.6
        )
        lowest = shaped(take, "rule.swell", amount=-1, on="cc:2").parts[0].lanes["cc:2"].curve
        assert lowest.at(np.array([0, 0.8 * quarter])) == pytest.approx([120, 84], abs=0.6)

    def test_a_vibrato_begins_late_and_grows_to_the_top_of_the_swell(self) -> None:
        take = take_of((0, 8, 60, 80))
        curve = shaped(take, "rule.vibrato").parts[0].lanes["bend"].curve
        seconds = np.linspace(0, 4, 40_001)
        bend = curve.at(np.maximum(take.tempo.tick(seconds), 0))
        assert np.abs(np.nan_to_num(bend[seconds < 0.25])).max() == 0
        inside = bend[(seconds > 0.26) & (seconds < 3.9)]
        crossings = np.flatnonzero(np.diff(np.sign(inside)) > 0) * 1e-4
        swings = 1 / np.diff(crossings)
        assert swings[-1] == pytest.approx(6.5, abs=0.15)
        assert np.abs(inside[:1500]).max() == pytest.approx(0.075, abs=0.01)
        assert np.abs(inside[-3000:]).max() == pytest.approx(0.28, abs=0.015)
        # The top is at 0.4 of its four seconds: from there on it is as at its end; half of the way from 0.25, between.
        times = 0.26 + crossings[:-1] + np.diff(crossings) / 2
        assert swings[times > 1.7] == pytest.approx(6.5, abs=0.05)
        growing = times < 1.5
        assert swings[growing] == pytest.approx(5.5 + (times[growing] - 0.25) / 1.35, abs=0.05)
        whole = [np.abs(bend[(seconds >= at) & (seconds < at + 0.16)]).max() for at in (1.65, 2.5, 3.5)]
        assert whole == pytest.approx([0.28] * 3, abs=0.01)

    def test_a_shake_that_has_grown_before_it_begins_is_as_at_its_end(self) -> None:
        take = take_of((0, 8, 60, 80))
        told = {"rate": 4, "depth": 10, "delay": 4}
        grown = shaped(take, "bend.shake", **told, rate_end=6, depth_end=40, grown_at=0.25)
        plain = shaped(take, "bend.shake", **told | {"rate": 6, "depth": 40})
        assert write(grown) == write(plain)

    def test_chords_and_drums_do_not_tremble(self) -> None:
        for take in (take_of((0, 4, 60, 80), (0, 4, 64, 80)), take_of((0, 4, 36, 80), channel=9)):
            assert write(shaped(take, "rule.vibrato")) == write(take)

    def test_leaps_are_slid_into_from_where_the_line_comes(self) -> None:
        take = take_of((0, 1, 60, 80), (1, 1, 67, 80), (2, 1, 60, 80), (3, 1, 62, 80), (5, 1, 72, 80))
        curve = shaped(take, "rule.slides").parts[0].lanes["bend"].curve
        starts_ = np.array([1, 2, 3, 5]) * take.resolution
        # Up, down, a step, and a leap after a rest.
        assert curve.at(starts_) == pytest.approx([-0.5, 0.5, 0, 0], abs=0.01)
        assert curve.at(starts_ + take.resolution // 8) == pytest.approx([0, 0, 0, 0], abs=0.01)

    def test_looseness_is_that_of_the_stroke_that_it_comes_to(self) -> None:
        take = read(the_keepers_log())
        loose = shaped(take, "notes.loosen", amount_ms=16, drift=0.6, seed=7)
        assert write(shaped(take, "rule.loose", amount=2, seed=7)) == write(loose)


class TestRitard:
    def test_the_tempo_falls_by_the_formula(self) -> None:
        take = take_of(*((step, 1, 60, 80) for step in range(9)))
        made = shaped(take, "rule.ritard")
        for share in (1 / 16, 7 / 16, 15 / 16):
            tick = (4 + 4 * share) * take.resolution
            at = int(np.searchsorted(made.tempo.ticks, tick, side="right")) - 1
            middle = (made.tempo.ticks[at] / take.resolution - 4) / 4 + 1 / 64
            wanted = 120 * (1 + (0.6**3 - 1) * middle) ** (1 / 3)
            assert 60e6 / made.tempo.micros[at] == pytest.approx(wanted, rel=1e-4)
        assert 60e6 / made.tempo.micros[-1] == pytest.approx(72, rel=1e-4)
        assert made.tempo.ticks[-1] == 8 * take.resolution
        assert float(made.tempo.seconds(4 * take.resolution)) == pytest.approx(2)

    def test_over_a_span_the_tempo_comes_back(self) -> None:
        take = take_of(*((step, 1, 60, 80) for step in range(12)))
        made = shaped(take, "rule.ritard", where={"span": [2 * take.resolution, 6 * take.resolution]})
        tempo = [round(60e6 / micros) for micros in made.tempo.micros.tolist()]
        assert tempo[0] == tempo[-1] == 120
        assert made.tempo.ticks[-1] == 6 * take.resolution
        assert min(tempo) == 72

    def test_where_nothing_follows_nothing_slows_down(self) -> None:
        with pytest.raises(NothingMatched, match="nothing could slow down"):
            shaped(take_of((0, 1, 60, 80)), "rule.ritard")


RULES = tuple(kind.removeprefix("rule.") for kind in ALL_KINDS if kind.startswith("rule."))
KINDS = [*(f"rule.{rule}" for rule in RULES), "play.as"]


@pytest.mark.parametrize("rule", KINDS)
def test_an_amount_of_nothing_is_byte_for_byte_the_recording(rule: str) -> None:
    for data in (the_keepers_log(), the_lamp_room()):
        take = read(data)
        assert write(shaped(take, f"{rule}", amount=0)) == write(take)


@pytest.mark.parametrize("hand", ["struck", "plucked", "bowed", "blown", "sung", "drum", "pad"])
def test_a_first_shape_is_its_strokes_one_after_another(hand: str) -> None:
    take = read(the_lamp_room())
    stroke = parse_stroke({"kind": "play.as", "as": hand})
    made = take
    for one in stroke.strokes(take):  # type: ignore[union-attr]
        # Each of them is a stroke as anybody would send it.
        parsed = parse_stroke(json.loads(one.model_dump_json(exclude_none=True)))
        try:
            made = applied(parsed, made)
        except NothingMatched:
            continue
    assert write(made) == write(applied(stroke, take))
    assert write(made) != write(take)


def test_each_rule_is_switched_off_by_itself() -> None:
    take = read(the_lamp_room())
    kinds = [one.kind for one in parse_stroke({"kind": "play.as", "as": "bowed"}).strokes(take)]  # type: ignore
    assert {"rule.arch", "rule.swell", "rule.vibrato", "rule.loose"} <= set(kinds)
    off = parse_stroke({"kind": "play.as", "as": "bowed", "arch": 0, "vibrato": 0, "swell": 0, "loose": 0})
    left = {one.kind for one in off.strokes(take)}  # type: ignore[union-attr]
    assert left == set(kinds) - {"rule.arch", "rule.swell", "rule.vibrato", "rule.loose"}


def test_one_note_chords_and_drums_are_shaped_as_far_as_they_can_be() -> None:
    for take in (
        take_of((0, 1, 60, 80)),
        take_of((0, 1, 60, 80), (0, 1, 64, 80)),
        take_of(*((step, 0.5, 36, 80) for step in range(9)), channel=9),
    ):
        for hand in ("struck", "sung"):
            assert len(shaped(take, "play.as", **{"as": hand}).parts[0].notes) == len(take.parts[0].notes)
    with pytest.raises(NothingMatched):
        shaped(take_of((0, 1, 60, 80)), "play.as", where={"span": [99_999, 100_000]})
    with pytest.raises(BadStroke, match="swell_on must be a lane of a channel"):
        parse_stroke({"kind": "play.as", "swell_on": "bend"})


def test_a_first_shape_says_what_its_rules_do_besides() -> None:
    """Of two strikes of a key close by, what is loose in time may end one sooner, or take one away: that is told."""
    take = take_of(*((step * 0.02, 0.02, 60, 80) for step in range(40)))
    stroke = parse_stroke({"kind": "play.as", "as": "struck", "loose": 4})
    said = stroke.also(take)
    lost = len(take.parts[0].notes) - len(applied(stroke, take).parts[0].notes)
    assert lost > 0
    assert f"{lost} notes give way to another of the same key." in said or "gives way to another" in said
