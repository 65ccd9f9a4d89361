"""What the check-up finds: of faults that are planted in what was played, and where nothing was planted."""

import io
import itertools
from collections import Counter
from collections.abc import Callable
from pathlib import Path

import mido
import numpy as np

from bench.played import cases_of
from expression.arrays import Ints
from expression.errors import NothingMatched
from expression.history import applied
from expression.living import LONG_SECONDS
from expression.midi.read import read
from expression.midi.write import write
from expression.phrases import heard_rows, onsets_of, phrases_of
from expression.stiff import stiff_spots
from expression.strokes import Where, parse_stroke
from expression.strokes.bends import BendShake
from expression.strokes.made_of import bendable
from expression.take import Take

Plant = Callable[[Take, int], Take]
BARS = 30


def _stroke(kind: str, **fields: object) -> Plant:
    def planted(take: Take, part: int) -> Take:
        where = {"parts": [part], **fields.get("where", {})}  # type: ignore[dict-item]
        return applied(parse_stroke({"kind": kind, **fields, "where": where}), take)

    return planted


def _lane(values: list[tuple[float, float]], hold: bool) -> Plant:
    """A lane through (quarters, values), from the first note of the part on."""

    def planted(take: Take, part: int) -> Take:
        first = int(take.parts[part].notes.start.min())
        nodes = [{"tick": first + round(at * take.resolution), "value": value, "hold": hold} for at, value in values]
        return _stroke("lane.nodes", lane="cc:16", nodes=nodes)(take, part)

    return planted


def _all(*plants: Plant) -> Plant:
    def planted(take: Take, part: int) -> Take:
        for plant in plants:
            take = plant(take, part)
        return take

    return planted


def _ids(take: Take, part: int, rows: Ints) -> list[tuple[int, int]]:
    return [(one, one) for one in take.parts[part].notes.id[rows].tolist()]


def _in_turn(take: Take, part: int) -> Take:
    """Of forty notes on end every second one is as hard as the first, the others as the second."""
    rows = heard_rows(take.parts[part])[:40]
    for first, value in ((0, 60), (1, 90)):
        take = _stroke("velocity.set", value=value, where={"notes": _ids(take, part, rows[first::2])})(take, part)
    return take


def _copied(take: Take, part: int) -> Take:
    """The first bar of four notes and more, thrice."""
    notes = take.parts[part].notes
    start = notes.start[heard_rows(take.parts[part])]
    bars = take.meter.bars(take.end).start
    counts = np.bincount(np.searchsorted(bars, start, side="right") - 1, minlength=len(bars))
    full = [bar for bar in np.flatnonzero(counts >= 4).tolist() if bar + 3 < len(bars)]
    if not full:
        raise NothingMatched("There is no bar to copy.")
    first, after, last = (int(bars[full[0] + step]) for step in (0, 1, 3))
    length = after - first
    gone = np.flatnonzero((notes.start >= after) & (notes.start < last))
    if len(gone):
        take = _stroke("notes.delete", where={"notes": _ids(take, part, gone)})(take, part)
    notes = take.parts[part].notes
    rows = np.flatnonzero((notes.start >= first) & (notes.start < after) & notes.music)
    copies = [
        {
            "start": int(notes.start[row]) + step * length,
            "length": int(min(notes.end[row], after) - notes.start[row]),
            "pitch": int(notes.pitch[row]),
            "velocity": int(notes.velocity[row]),
        }
        for step in (0, 1, 2)
        for row in rows.tolist()
    ]
    take = _stroke("notes.delete", where={"notes": _ids(take, part, rows)})(take, part)
    return _stroke("notes.add", notes=copies)(take, part)


def _chords(take: Take, part: int) -> Take:
    """All that was struck as one begins at one tick, of parts that have chords."""
    notes, onsets = take.parts[part].notes, onsets_of(take, part)
    _, sizes = np.unique(onsets[heard_rows(take.parts[part])], return_counts=True)
    if (sizes >= 3).sum() < 6:
        raise NothingMatched("There are no chords.")
    return _timed(take, part, onsets, np.maximum(notes.end, onsets + 1))


def _timed(take: Take, part: int, start: Ints, end: Ints) -> Take:
    notes = take.parts[part].notes
    on_page = {"page_start": np.full(len(notes), -1), "page_end": np.full(len(notes), -1)}
    return take.with_notes({part: notes.put(start=start, end=end, **on_page)})


def _detached(take: Take, part: int) -> Take:
    """Every note is held for four fifths of the time until the next."""
    onsets = onsets_of(take, part)
    every = np.unique(onsets[heard_rows(take.parts[part])])
    following = np.append(every, every[-1] + take.resolution)[np.searchsorted(every, onsets, side="right")]
    return _timed(take, part, onsets, onsets + np.maximum(np.round(0.8 * (following - onsets)).astype(np.int64), 1))


def _shaken(take: Take, part: int) -> Take:
    """The same vibrato on all long notes of a line."""
    long = list(bendable(take, Where.model_validate({"parts": (part,)}), LONG_SECONDS))
    if not long or int(long[0][1].notes_of(take.parts[part]).sum()) < 4:
        raise NothingMatched("There are no long notes of a line.")
    return applied(BendShake.model_validate({"where": long[0][1], "rate": 6.0, "depth": 30.0}), take)


def _blown(take: Take, part: int) -> Take:
    """The part on a reed, whose notes last for six beats and do nothing."""
    notes = take.parts[part].notes
    few = heard_rows(take.parts[part])[::40]
    take = _stroke("notes.length", to=6, where={"notes": _ids(take, part, few)})(take, part)
    file = mido.MidiFile(file=io.BytesIO(write(take)))
    channel = take.parts[part].channel.number
    for track in file.tracks:
        track[:] = [m for m in track if not (m.type == "program_change" and m.channel == channel) or m.time]
    track = file.tracks[take.parts[part].track]
    track.insert(0, mido.Message("program_change", channel=channel, program=70))
    out = io.BytesIO()
    file.save(file=out)
    again = read(out.getvalue())
    if part >= len(again.parts) or len(again.parts[part].notes) != len(notes):
        raise NothingMatched("It is not read as it was.")
    return again


def _jumping(take: Take, part: int) -> Take:
    """A lane that is elsewhere from each phrase on."""
    begins = phrases_of(take, part).phrases.tolist()
    nodes = [{"tick": tick, "value": 20.0 + 80 * (row % 2)} for row, tick in enumerate(begins)]
    return _stroke("lane.nodes", lane="cc:16", nodes=nodes)(take, part)


def _looped(take: Take, part: int) -> Take:
    """A lane that rises in each bar, and begins again with the next."""
    bars = take.meter.bars(take.end).start.tolist()[:24]
    nodes = []
    for first, after in itertools.pairwise(bars):
        nodes.append({"tick": first, "value": 20, "hold": False})
        nodes.append({"tick": after - 1, "value": 60, "hold": True})
    return _stroke("lane.nodes", lane="cc:16", nodes=nodes)(take, part)


PLANTS: dict[str, Plant] = {
    "equal velocities": _stroke("velocity.set", value=77),
    "two velocities in turn": _in_turn,
    "aimless velocities": _all(_stroke("velocity.set", value=70), _stroke("velocity.vary", amount=30)),
    "copied bars": _copied,
    "dead on the grid": _stroke("notes.place", grid=16, under=False),
    "chords as one": _chords,
    "lengths alike": _detached,
    "still notes": _blown,
    "stair steps": _lane([(at, 10 + 12 * at) for at in range(8)], hold=True),
    "straight swells": _lane([(2 * at, 20 + 70 * (at % 2)) for at in range(12)], hold=False),
    "jumping lane": _jumping,
    "loop ends": _looped,
    "same vibrato": _shaken,
}


def measured(folder: Path) -> None:
    """Print both shares of a folder of performances."""
    found, alarms, bars = Counter[str](), Counter[str](), 0
    tried: Counter[str] = Counter()
    for take, part in cases_of(folder):
        before = [one for one in stiff_spots(take) if one.part == part]
        for one in before:
            alarms[one.reason] += len(one.spans)
        bars += take.meter.position(take.end).bar
        known = {one.reason for one in before}
        for reason, plant in PLANTS.items():
            if reason in known:
                continue
            try:
                made = plant(take, part)
            except NothingMatched:
                continue
            tried[reason] += 1
            found[reason] += any(one.part == part and one.reason == reason for one in stiff_spots(made))
    print(f"\n{bars:,} bars that were played. Told of them, for each {BARS} bars:")
    for reason, count in alarms.most_common():
        print(f"  {reason:24}{BARS * count / max(bars, 1):8.3f}")
    print(f"  {'all':24}{BARS * alarms.total() / max(bars, 1):8.3f}  (fewer than 1)")
    print("Planted in them, and found:")
    for reason, count in tried.items():
        print(f"  {reason:24}{found[reason]:5} of {count} ({found[reason] / count:.0%})")
    print(f"  {'all':24}{found.total():5} of {tried.total()} ({found.total() / max(tried.total(), 1):.0%}; 95%)")
