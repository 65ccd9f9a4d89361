"""Curves in batches: many at once are as each by itself, and a note's curve is shaped as a lane is."""

import random
from typing import Any

import mido
import numpy as np
import pytest

from expression.curve import Curve
from expression.errors import NothingMatched
from expression.lanes import LANES
from expression.midi.read import read
from expression.strokes import parse_stroke
from expression.take import Take
from tests.files import file_of

M = mido.Message
PRESSURE = "note:pressure"
KINDS: list[dict[str, Any]] = [
    {"kind": "lane.clear"},
    {"kind": "lane.ramp", "end": 90, "lift": 0.4},
    {"kind": "lane.lead_in", "value": 12},
    {"kind": "lane.smooth", "width": 150},
    {"kind": "lane.distil", "tolerance": 2},
    {"kind": "lane.fade", "start": 1, "end": 0.25},
    {"kind": "lane.wave", "rate": 3, "per": "hz", "depth": 20, "form": "triangle", "mode": "add"},
    {"kind": "lane.wave", "rate": 2, "depth": 20, "depth_end": 5, "centre": 50},
    {"kind": "lane.shape", "start": 0, "peak": 80, "end": 10, "over": 0.5, "delay": 20},
    {"kind": "lane.reshape", "level": 10, "depth": 0.5, "pivot": "min"},
    {"kind": "lane.reshape", "lean": [0.5, 1.5], "bow": 20},
    {"kind": "lane.reshape", "drift": 0.4},
    {"kind": "lane.reshape", "length": 0.5, "drift": -0.3},
    {"kind": "lane.reshape", "level": 70, "limit": "squeeze"},
    {"kind": "lane.reshape", "level": 70, "limit": "stop"},
    {"kind": "lane.reshape", "level": 15, "join": "smooth"},
    {"kind": "lane.move", "to": "note:timbre"},
    {"kind": "lane.trim", "by": 7},
    {"kind": "lane.draw", "points": [[0, 10], [90, 70], [240, 30]]},
    {"kind": "lane.nodes", "where": {"span": [50, 200]}, "nodes": [{"tick": 60, "value": 9, "hold": False}]},
    {"kind": "lane.clear", "where": {"span": [50, 200]}},
    {"kind": "lane.copy", "where": {"span": [0, 200]}, "to": {"at": 220}, "flip": "time", "repeat": 2},
    {"kind": "lane.copy", "where": {"span": [0, 200]}, "to": {"lane": "note:timbre"}, "flip": "value", "fit": 300},
    {"kind": "lane.reshape", "where": {"span": [50, 200]}, "level": 15, "join": "smooth"},
    {"kind": "lane.smooth", "where": {"span": [50, 200]}, "width": 60},
]


def leaned(seed: int, notes: int = 12) -> Take:
    """Notes that overlap, over changes of tempo, most of them leaned on; the first says nothing."""
    dice = random.Random(seed)
    clock = [mido.MetaMessage("set_tempo", tempo=dice.randint(300_000, 900_000), time=700) for _ in range(3)]
    events: list[tuple[int, mido.Message]] = []
    for note in range(notes):
        start, length = note * 200 + dice.randint(0, 50), dice.choice((150, 240, 480, 777))
        events += [
            (start, M("note_on", note=40 + note, velocity=64)),
            (start + length, M("note_off", note=40 + note)),
        ]
    played, before = [], 0
    for at, message in sorted(events, key=lambda one: one[0]):
        played.append(message.copy(time=at - before))
        before = at
    take = read(file_of(clock, played))
    for note in range(1, notes):
        ticks = sorted(dice.sample(range(1, 900), 14))
        nodes: list[dict[str, Any]] = [{"tick": 0, "value": 40}] + [
            {"tick": tick, "value": dice.randint(5, 120), "hold": dice.random() < 0.5, "lift": dice.choice((0.0, 0.5))}
            for tick in ticks
        ]
        take = parse_stroke(
            {"kind": "lane.nodes", "lane": PRESSURE, "where": {"notes": [[note, note]]}, "nodes": nodes}
        ).apply(take)
    return take


def shaped(take: Take, said: dict[str, Any], **where: object) -> Take:
    return parse_stroke({"lane": PRESSURE, **said, "where": {"parts": [0], **said.get("where", {}), **where}}).apply(
        take
    )


@pytest.mark.parametrize("said", KINDS, ids=lambda said: " ".join(f"{value}" for value in said.values())[:40])
@pytest.mark.parametrize("seed", [1, 2])
def test_all_at_once_are_as_each_by_itself(said: dict[str, Any], seed: int) -> None:
    take = leaned(seed)
    together = shaped(take, said).parts[0]
    for note in take.parts[0].notes.id.tolist():
        try:
            alone = shaped(take, said, notes=[[note, note]]).parts[0]
        except NothingMatched:
            alone = take.parts[0]
        for key in (PRESSURE, "note:timbre"):
            one, all_ = (
                part.curves[key].curve(note) if key in part.curves else Curve.of([], []) for part in (alone, together)
            )
            at = np.arange(0, 900)
            # Where the ways have to be told in straight ones, they may meet elsewhere; and fewer events are distilled
            # with more care.
            near = 2 * (said["tolerance"] + 1) if said["kind"] == "lane.distil" else 2.5 * LANES[key].error
            assert (len(one) > 0) == (len(all_) > 0)
            assert (np.isnan(one.at(at)) == np.isnan(all_.at(at))).all()
            assert np.nan_to_num(np.abs(one.at(at) - all_.at(at))).max() <= near


@pytest.mark.parametrize(
    "said",
    [
        {"kind": "lane.reshape", "drift": 0.4, "bow": 12},
        {"kind": "lane.reshape", "level": 30, "depth": 0.5, "limit": "squeeze"},
        {"kind": "lane.smooth", "width": 120},
        {"kind": "lane.ramp", "start": 3, "end": 90, "ease": 0.5},
        {"kind": "lane.wave", "rate": 4, "per": "hz", "depth": 10, "centre": 60},
        {"kind": "lane.clear"},
    ],
    ids=lambda said: said["kind"] + str(len(said)),
)
def test_a_notes_curve_is_shaped_as_a_lane_is(said: dict[str, Any]) -> None:
    take = read(file_of([M("note_on", note=60, velocity=64), M("note_off", note=60, time=960)]))
    dice = random.Random(3)
    nodes = [{"tick": tick, "value": dice.randint(5, 110), "hold": tick % 3 == 0} for tick in range(0, 900, 45)]
    where = {"span": [100, 700]}
    for lane in (PRESSURE, "cc:11"):
        drawn = {"kind": "lane.nodes", "lane": lane, "where": {"parts": [0]}, "nodes": nodes}
        take = parse_stroke(drawn).apply(take)
        take = shaped(take, {**said, "lane": lane, "where": where})
    part = take.parts[0]
    at = np.arange(0, 960, 7)
    own, drawn_on = part.curves[PRESSURE].curve(0).at(at), part.channel.lanes["cc:11"].curve.at(at)
    # What comes of a wave or a ramp stays on a note until its next node; on a lane it does too.
    inside = (at < 700) if said["kind"] == "lane.wave" else at >= 0
    assert np.abs(own - drawn_on)[inside].max() <= LANES[PRESSURE].error * 2
