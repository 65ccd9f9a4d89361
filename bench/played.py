"""What rules and hands propose against what was played: how far the two go together, take by take."""

import contextlib
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import NamedTuple

import numpy as np

from expression.arrays import Floats, frozen
from expression.errors import NothingMatched, Refused
from expression.history import applied
from expression.measured import FEATURES, FEWEST_NOTES, Hand, Played, Sum, Weights, heard_of, measure
from expression.midi.read import read
from expression.strokes import parse_stroke
from expression.take import Take

FEWEST, LEAST_SPREAD = 100, 3.0
"""Of notes, and of the standard deviation of their velocities: less was not played."""
MOST_AS_BEFORE = 1 / 3
LEVEL = 80


class Case(NamedTuple):
    """A played part: the take made stiff, its number, what was played of each note (by id), and its hand."""

    name: str
    stiff: Take
    part: int
    ids: tuple[int, ...]
    force: Floats
    late: Floats | None
    hand: Hand


def _files(folder: Path) -> Iterator[tuple[str, Take]]:
    """The takes of a folder that can be read, by the names of their files; the same file counts once."""
    known = set()
    for file in sorted(folder.rglob("*.mid*")):
        data = file.read_bytes()
        if data in known:
            continue
        known.add(data)
        with contextlib.suppress(Refused):
            yield file.stem[:12], read(data)


def cases(folder: Path) -> list[Case]:
    """Every part of a folder's files that somebody played."""
    found: list[Case] = []
    for name, take in _files(folder):
        found += [one for part in take.parts if (one := _case(f"{len(found)} {name}", take, part.id))]
    return found


def cases_of(folder: Path) -> Iterator[tuple[Take, int]]:
    """Takes and parts of a folder that were played: to no grid, and few notes exactly as hard as the one before."""
    for _, take in _files(folder):
        for part in take.parts:
            heard = heard_of(take, part)
            if len(heard.rows) < FEWEST or heard.force.std() < LEAST_SPREAD or heard.late is not None:
                continue
            if float((np.diff(heard.force) == 0).mean()) < MOST_AS_BEFORE:
                yield take, part.id


def _case(name: str, take: Take, number: int) -> Case | None:
    part = take.parts[number]
    heard = heard_of(take, part)
    if len(heard.rows) < max(FEWEST, FEWEST_NOTES) or heard.force.std() < LEAST_SPREAD:
        return None
    hand = measure(take, part, name)
    notes = part.notes
    start = notes.start.copy()
    if heard.late is not None:
        late = heard.late / 1000
        moved = np.floor(take.tempo.tick(take.tempo.seconds(notes.start[heard.rows]) - late) + 0.5)
        start[heard.rows] = np.maximum(moved, 0).astype(np.int64)
    end = start + np.maximum(notes.end - notes.start, 1)
    velocity = np.full(len(notes), LEVEL, dtype=np.uint8)
    stiff = notes.put(start=start, end=end, page_start=start, page_end=end, velocity=frozen(velocity, np.uint8))
    ids = tuple(notes.id[heard.rows].tolist())
    return Case(name, take.with_notes({number: stiff}), number, ids, heard.force, heard.late, hand)


def _proposed(case: Case, stroke: dict[str, object]) -> tuple[Floats, Floats]:
    """Velocities and milliseconds of lateness that a stroke gives the stiff part."""
    try:
        made = applied(parse_stroke({**stroke, "where": {"parts": [case.part]}}), case.stiff)
    except NothingMatched:
        made = case.stiff
    old, new = case.stiff.parts[case.part].notes, made.parts[case.part].notes
    was, now = (dict(zip(one.id.tolist(), one.start.tolist(), strict=True)) for one in (old, new))
    force = dict(zip(new.id.tolist(), new.velocity.tolist(), strict=True))
    ticks = [(was[one], now.get(one, was[one])) for one in case.ids]
    seconds = case.stiff.tempo.seconds(np.array(ticks, dtype=np.int64))
    return np.array([force.get(one, LEVEL) for one in case.ids], dtype=float), 1000 * (seconds[:, 1] - seconds[:, 0])


def _going_together(one: Floats, other: Floats | None) -> str:
    """The correlation, in a column."""
    if other is None or one.std() < 1e-9 or other.std() < 1e-9:
        return "     ."
    return f"{float(np.corrcoef(one, other)[0, 1]):6.2f}"


def mean_hand(hands: list[Hand]) -> Hand:
    """What several hands have in common, without the notes of any."""

    def mean(sums: list[Sum]) -> Sum:
        weights = {name: float(np.mean([getattr(one.weights, name) for one in sums])) for name in FEATURES}
        return Sum(
            weights=Weights(**weights),
            spread=float(np.mean([one.spread for one in sums])),
            memory=float(np.mean([one.memory for one in sums])),
        )

    times = [one.time for one in hands if one.time]
    return Hand(
        name="the others",
        notes=sum(one.notes for one in hands),
        force=mean([one.force for one in hands]),
        time=mean(times) if times else None,
        length=mean([one.length for one in hands]),
        played=Played(pitch=(), force=(), late=(), held=()),
        lacks=(),
    )


def measured(folder: Path) -> None:
    """Print the table of a folder."""
    found = cases(folder)
    print(f"\n{len(found)} parts that were played. Correlation with what was played: of velocities, of lateness.")
    if len(found) < 2:
        print("Two are needed at least: files of performances, with velocities as they were played.")
        return
    proposals: dict[str, Callable[[Case], dict[str, object]]] = {
        "chance": lambda _: {"kind": "velocity.vary", "amount": 12},
        "metre": lambda _: {"kind": "rule.metre"},
        "rules": lambda case: {"kind": "play.as", "as": _way(case), "loose": 0},
        "hand": lambda case: {"kind": "play.like", "hand": _others(found, case), "rest": 0, "length": 0},
    }
    print(f"{'take':18}{'notes':>7}" + "".join(f"{name:>14}" for name in proposals))
    table: dict[str, list[tuple[float, float]]] = {name: [] for name in proposals}
    for case in found:
        row = ""
        for name, stroke in proposals.items():
            force, late = _proposed(case, stroke(case))
            columns = _going_together(force, case.force), _going_together(late, case.late)
            table[name].append(tuple(0.0 if one.strip() == "." else float(one) for one in columns))  # type: ignore[arg-type]
            row += "  " + "".join(columns)
        print(f"{case.name:18}{len(case.ids):7}{row}")
    means = ((np.mean([one[at] for one in column]) for at in (0, 1)) for column in table.values())
    print(f"{'mean':25}" + "".join("  " + "".join(f"{one:6.2f}" for one in pair) for pair in means))


def _way(case: Case) -> str:
    return "drum" if case.stiff.parts[case.part].channel.number == 9 else "struck"


def _others(found: list[Case], case: Case) -> dict[str, object]:
    """Left one out: what all others have in common. Other parts of the same file are left out with it."""
    others = [one.hand for one in found if one.stiff.source != case.stiff.source]
    return mean_hand(others or [one.hand for one in found if one is not case]).model_dump(exclude_none=True)
