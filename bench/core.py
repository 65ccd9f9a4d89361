"""Measurements of the core alone."""

import gzip
import inspect
import io
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import mido
import numpy as np
import orjson

from bench.fewest import fewest, made_up
from expression import views
from expression.distil import distil
from expression.documents import Document
from expression.history import History, Shaped, applied
from expression.memo import forget
from expression.midi.emit import emit_with_notes
from expression.midi.read import read
from expression.midi.write import write
from expression.receiver import receive
from expression.strokes import AnyStroke, parse_stroke
from expression.take import Take
from expression.views.changes import changes


def timed(act: Callable[[], object], times: int) -> float:
    """Median seconds of several runs."""
    taken = []
    for _ in range(times):
        start = time.perf_counter()
        act()
        taken.append(time.perf_counter() - start)
    return statistics.median(taken)


def reading(data: bytes) -> None:
    floor = timed(lambda: mido.MidiFile(file=io.BytesIO(data)), 3)
    ours = timed(lambda: read(data), 3)
    take = read(data)
    events = sum(len(track) for track in take.tracks)
    print(f"reading {events:,} events: {ours * 1000:.0f} ms; mido's own parse {floor * 1000:.0f} ms; "
          f"ratio {ours / floor:.2f} (budget 1.6)")  # fmt: skip
    print(f"writing them: {timed(lambda: write(take), 3) * 1000:.0f} ms")


def folding(data: bytes) -> None:
    take = read(data)
    history = History()
    for number in range(200):
        at = number * 9600
        where = {"span": [at, at + 400_000]}
        history = history.add(
            parse_stroke({"kind": "velocity.hairpin", "where": where, "start": 30, "end": 100, "accents": 0.5})
            if number % 2
            else parse_stroke({"kind": "velocity.nudge", "where": where, "by": number % 7 - 3})
        )
    whole = timed(lambda: Shaped.of(take, history), 3)
    known = Shaped.of(take, history)
    more = history.add(parse_stroke({"kind": "velocity.nudge", "by": 1}))
    one = timed(lambda: known.with_history(more), 20)
    print(f"folding 200 strokes over {take.note_count:,} notes: {whole * 1000:.0f} ms; one more {one * 1000:.1f} ms")


def first_view(data: bytes) -> None:
    body = orjson.dumps(views.page.page(read(data)))
    print(f"first view: {len(body) / 1024:.0f} KiB, {len(gzip.compress(body, 1)) / 1024:.0f} KiB as sent")


def distilling(data: bytes) -> None:
    """A lane of very many recorded values in few nodes; and small ones beside what exhaustive search finds."""
    curve = read(data).parts[0].lanes["cc:1"].curve
    taken = timed(lambda: distil(curve.ticks, curve.values, 1.0, 1.0), 5)
    few = distil(curve.ticks, curve.values, 1.0, 1.0)
    print(
        f"distilling {len(curve):,} recorded values at 1 step: {taken * 1000:.0f} ms (budget 300), {len(few):,} nodes"
    )
    ratios, ours, best = [], 0, 0
    for seed in range(30):
        ticks, values = made_up(seed)
        found, least = len(distil(ticks, values, 1.0, 1.0)), fewest(ticks, values, 1.0)
        ratios.append(found / least)
        ours, best = ours + found, best + least
    print(f"on 30 small lanes {ours} nodes where exhaustive search finds {best}: ratio {ours / best:.3f}, "
          f"{max(ratios):.3f} at most (budget 1.15)")  # fmt: skip


def receiving(data: bytes) -> None:
    """What the simulated receiver makes of a file."""
    events = sum(len(track) for track in read(data).tracks)
    taken = timed(lambda: receive(data), 3)
    print(f"receiving {events:,} events: {events / taken:,.0f} events a second (budget 300,000)")


def zoning() -> None:
    """10,000 notes with curves of their own, out as MPE."""
    from bench.performance import leaned

    take = read(leaned(notes=10_000, nodes=2))
    for lane, rest, top in (("note:pitch", 0.0, 0.2), ("note:timbre", 64.0, 74.0)):
        nodes = [{"at": 0, "value": rest}, {"at": 0.5, "value": top, "ease": 1}, {"at": 1, "value": rest}]
        take = applied(parse_stroke({"kind": "note.curve", "lane": lane, "nodes": nodes}), take)
    start = time.perf_counter()
    data = write(take, way="mpe")
    taken = time.perf_counter() - start
    again = read(data)
    events = sum(len(track) for track in again.tracks)
    print(f"10,000 notes with curves as MPE: {taken:.2f} s (budget 1.5), {events:,} events")
    start = time.perf_counter()
    read(data)
    print(f"read back: {time.perf_counter() - start:.2f} s")


def pedalling() -> None:
    """25,000 notes and 43,000 values of their pedal, turned into lengths; and the others that do what a foot does."""
    from bench.performance import performance

    take = read(performance(notes=25_000, pedals=43_000, parts=1))
    for kind, budget in (("to_lengths", " (budget 150)"), ("from_lengths", ""), ("legato", ""), ("switch", "")):
        # Another number each time, so that nothing is known from before.
        strokes = iter([
            parse_stroke({"kind": f"pedal.{kind}", **said})
            for said in PEDALS[kind]
        ])  # fmt: skip
        taken = timed(lambda: next(strokes).apply(take), len(PEDALS[kind]))  # noqa: B023
        print(f"pedal.{kind} over 25,000 notes and 43,000 pedal events: {taken * 1000:.0f} ms{budget}")


PEDALS: dict[str, list[dict[str, float]]] = {
    "to_lengths": [{"threshold": 64 + step} for step in range(5)],
    "from_lengths": [{"finger_ms": 100 + step} for step in range(5)],
    "legato": [{"lag_ms": 80 + step} for step in range(5)],
    "switch": [{"on": 64 + step} for step in range(5)],
}


NOTES: tuple[Document, ...] = (
    {"kind": "notes.move", "ticks": 40},
    {"kind": "notes.transpose", "keys": 2},
    {"kind": "notes.length", "factor": 0.5},
    {"kind": "notes.length", "gap_ms": 10},
    {"kind": "notes.split", "into": 2},
    {"kind": "notes.join", "rest": 4},
    {"kind": "notes.mute"},
    {"kind": "notes.delete"},
    {"kind": "notes.spread", "time_ms": 12},
    {"kind": "notes.place", "grid": 16},
    {"kind": "notes.loosen", "amount_ms": 8},
    {"kind": "notes.fill", "by": "semitone"},
)


def noting() -> None:
    """Every stroke on notes tried on 20,000 of them, under which a pedal moves: what a preview computes."""
    from bench.performance import performance

    shaped = Shaped.of(read(performance(notes=20_000, pedals=8_000, parts=1)))
    sight = (0, 16 * 3840)
    for said in NOTES:
        strokes = iter([parse_stroke({**said, "where": {"span": [0, 2**30 + turn]}}) for turn in range(7)])

        def tried(strokes: Iterator[AnyStroke] = strokes) -> None:
            made = shaped.with_history(shaped.history.add(next(strokes)))
            changes(shaped.now.take, made.now.take, sight)

        taken = timed(tried, 7)
        named = " ".join(f"{name} {value}" for name, value in said.items() if name != "kind")
        print(f"{said['kind']} {named} on 20,000 notes: {taken * 1000:.1f} ms")


def playing() -> None:
    """A first shape of 20,000 notes; and the pitch of three minutes, as a worker follows it."""
    from bench.performance import performance
    from expression.sound import Sound
    from expression.tune import RATE, followed

    take = read(performance(notes=20_000, pedals=0, parts=1))
    for hand in ("struck", "sung"):
        stroke = parse_stroke({"kind": "play.as", "as": hand})
        taken = timed(lambda stroke=stroke: _anew(take, stroke), 3)  # type: ignore[misc]
        print(f"play.as {hand} on 20,000 notes: {taken * 1000:.0f} ms (budget 1,000)")
    at = np.arange(180 * RATE) / RATE
    samples = (0.3 * np.sin(2 * np.pi * 220 * at + 3 * np.sin(2 * np.pi * 5.5 * at))).astype(np.float32)
    sound = Sound(RATE, len(samples), lambda: iter([samples]))
    # The first time the tracker is compiled, which is kept.
    followed(Sound(RATE, RATE, lambda: iter([samples[:RATE]])))
    print(f"following three minutes of sound: {timed(lambda: followed(sound), 1):.1f} s (budget 30)")


def _anew(take: Take, stroke: AnyStroke) -> Take:
    """A stroke on a take as if that had just been read."""
    forget(take)
    return stroke.apply(take)


def starting() -> None:
    """A command on a small file beside what it cannot do without."""
    from bench.performance import performance

    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        (place / "in.mid").write_bytes(performance(notes=10, pedals=10))
        (place / "none.json").write_text("[]")
        shape = ("./lull", "shape", place / "in.mid", "--strokes", place / "none.json", "-o", place / "out.mid")
        floor_command = (sys.executable, "-c", "import numpy, pydantic, mido")
        ours, floor = (
            timed(lambda command=command: subprocess.run(command, check=True), 9)  # type: ignore[misc]
            for command in (shape, floor_command)
        )
    print(f"./lull shape with no strokes: {ours * 1000:.0f} ms; importing its three packages {floor * 1000:.0f} ms; "
          f"ratio {ours / floor:.2f} (budget 1.5)")  # fmt: skip


def emitting(data: bytes) -> None:
    """A distilled lane turned into events again."""
    take = read(data)
    shaped = parse_stroke({"kind": "lane.distil", "lane": "cc:1", "tolerance": 1}).apply(take)
    # Each time anew: what is kept of it on the take is not asked for.
    written_of = inspect.unwrap(emit_with_notes)
    events = sum(len(track) for track in written_of(shaped)[0][:1])
    taken = timed(lambda: written_of(shaped), 3)
    print(f"emitting {events:,} events, the wheel anew from its nodes: {events / taken:,.0f} events a second")
