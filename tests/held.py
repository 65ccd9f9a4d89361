"""What the core makes of many random takes and strokes, as short sums: what was true when they were kept.

The judge says whether bytes are right; these say whether they are the same as before. A change of what is exported,
drawn or told is seen here first: if it is meant, `python -m tests.held` keeps the new sums, and CHANGELOG.md says what
changed.
"""

import hashlib
import json
import math
import zlib
from collections.abc import Callable, Iterator
from dataclasses import fields, is_dataclass
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import BaseModel

from expression import views
from expression.clip_receiver import receive_clip
from expression.errors import Refused
from expression.history import History, Shaped
from expression.midi import playback
from expression.midi.files import FileKind, opened, saved
from expression.receiver import receive
from expression.receiver_document import as_document
from expression.staff.musicxml import musicxml
from expression.staff.notation import bars_of, key_of, written, written_end
from expression.staff.signs import Hairpin
from expression.strokes import KINDS, Where, parse_stroke
from expression.take import Take
from expression.views.changes import Changes
from tests.judging.strokes import ON_NOTES, stroke_of, tried
from tests.judging.takes import recording

KEPT = Path(__file__).with_suffix(".json")
STROKES, TAKES, TRIES = 5, 40, 12
KINDS_OF_FILES: tuple[FileKind, ...] = ("plain", "mpe", "clip")
Sums = dict[str, str]


def of_kind(kind: str) -> dict[str, Sums]:
    """Strokes of a kind on some takes: the files they leave, and what the desk is told of them."""
    return {f"{kind} {seed}": _stroked(kind, seed) for seed in range(STROKES)}


def of_take(seed: int) -> dict[str, Sums]:
    """A take as it was read, with some strokes of any kind, and as files of all kinds."""
    dice = np.random.default_rng([seed, 4107])
    source = recording(dice)
    take = opened(source)
    sums = {f"take {seed} read": _told(take)}
    for step in range(6):
        # By lot, so that a kind more changes no more cases than it has to.
        kind = min(KINDS, key=lambda kind: zlib.crc32(f"{seed} {step} {kind}".encode()))
        take = tried(take, stroke_of(dice, kind, take)) or take
    sums[f"take {seed} shaped"] = _told(take) | _files(take)
    sums[f"take {seed} page"] = _page(take, dice)
    sums[f"take {seed} again"] = {kind: _tried(_again, take, kind) for kind in KINDS_OF_FILES[1:]}
    sums[f"take {seed} torn"] = dict(_torn(source, dice))
    return sums


def _stroked(kind: str, seed: int) -> Sums:
    dice = np.random.default_rng([seed, zlib.crc32(kind.encode()), 4107])
    before = opened(recording(dice))
    for earlier in ("note.curve", "note.glide") if kind in ON_NOTES or kind == "note.send" else ("lane.ramp",):
        before = tried(before, stroke_of(dice, earlier, before)) or before
    for _ in range(TRIES):
        said = stroke_of(dice, kind, before)
        if tried(before, said) is not None:
            break
    was = Shaped.of(before)
    try:
        stroke = parse_stroke(said)
    except Refused as refused:
        return {"refused": _sum(str(refused))}
    now = was.with_history(History().add(stroke))
    after = now.now.take
    start, end = sorted(int(one) for one in dice.integers(0, before.end + 1, 2))
    return {
        "history": _sum(views.strokes.history(now)),
        "change": _sum(views.strokes.history_change(was, now)),
        "changes": _sum(_with_truth(views.changes.changes(before, after))),
        "seen": _sum(_with_truth(views.changes.changes(before, after, (start, end)))),
        "saving": _sum(views.lanes.saving(before, after)),
        "contours": _sum(views.contours.tried_contours(before, after, start, end)),
        "own": _sum(
            [views.own_lanes.own_changes(*pair, (start, end)) for pair in zip(before.parts, after.parts, strict=True)]
        ),
        **_files(after),
    }


def _with_truth(changes: Changes) -> dict[str, Any]:
    """With whether any part has other notes, in place of which."""
    return {**changes, "others": bool(changes["others"])}


def _files(take: Take) -> Sums:
    plain = saved(take)
    return {
        "plain": _sum(plain),
        "heard": _sum(as_document(receive(plain))),
        "thin": _sum(saved(take, "plain", 2.0)),
        "mpe": _tried(saved, take, "mpe"),
        "clip": _tried(_clip, take),
        "unsent": _sum([views.unsent.unsent(take, kind) for kind in KINDS_OF_FILES]),
    }


def _clip(take: Take) -> Any:
    data = saved(take, "clip")
    return [data, receive_clip(data)]


def _again(take: Take, kind: FileKind) -> Any:
    return _told(opened(saved(take, kind)))


def _told(take: Take) -> Sums:
    """Everything that a screen is told of a take."""
    stream = playback.stream(take)
    middle = float(stream.seconds[len(stream.seconds) // 2]) if len(stream.seconds) else 0.0
    every = Where.model_validate({"parts": [part.id for part in take.parts]})
    return {
        "page": _sum(views.page.page(take)),
        "flags": _sum(views.page.flags(take)),
        "lanes": _sum([[views.lanes.lanes(part), views.own_lanes.own_lanes(part)] for part in take.parts]),
        "in force": _sum([views.page.in_force(take, part) for part in take.parts]),
        "findings": _sum(views.faults.faults(take)),
        "proof": _sum([views.proof.proof(take, part) for part in take.parts]),
        "rings": _sum([[views.rings.rings(take, part), views.rings.feet(take, part)] for part in take.parts]),
        "contours": _sum([views.contours.contours(part) for part in take.parts]),
        "facts": _tried(views.facts.facts, take, every),
        "own facts": _sum([_tried(views.own_lanes.own_facts, take, every, key) for key in OWN]),
        "events": _sum(views.events.page(take, 0, 400)),
        "library": _sum(views.library.summary(take)),
        "stream": _sum(stream),
        "from the middle": _sum(playback.listen(stream, middle, middle + 2, True)),
        "held": _sum(playback.held_at(take, middle)),
    }


OWN = ("velocity", "note:pitch", "note:pressure", "note:timbre")


def _page(take: Take, dice: np.random.Generator) -> Sums:
    """A take written down, from several bars on, with hands told apart here and there, and with hairpins."""
    bars, parts = bars_of(take), [part.id for part in take.parts]
    found = {"end": _sum([written_end(take), bars, key_of(take)])}
    for number in range(3):
        first, count = int(dice.integers(1, bars + 1)), int(dice.integers(1, 9))
        splits = {part: int(dice.integers(48, 72)) for part in parts if number}
        start, end = sorted(int(one) for one in dice.integers(0, take.end + 2, 2))
        pins = [Hairpin(part, start, end + 1, bool(number % 2)) for part in parts[:1]]
        page = written(take, parts, first, count, pins, splits)
        found[str(number)] = _sum([musicxml(page, "A take"), page.remarks])
    return found


def _torn(source: bytes, dice: np.random.Generator) -> Iterator[tuple[str, str]]:
    """A file cut off, and with bytes that are others: what is read of it, or why nothing."""
    for number in range(6):
        torn = bytearray(source)
        for at in dice.integers(14, len(torn), 1 + number):
            torn[at] = int(dice.integers(0, 256))
        if number % 2:
            torn = torn[: int(dice.integers(10, len(torn)))]
        yield str(number), _tried(_read, bytes(torn))


def _read(data: bytes) -> Any:
    take = opened(data)
    return [take.remarks, views.page.page(take), saved(take)]


def _tried(make: Callable[..., Any], *given: Any) -> str:
    try:
        return _sum(make(*given))
    except Refused as refused:
        return _sum(str(refused))


def _sum(told: Any) -> str:
    return hashlib.sha1(json.dumps(_plain(told), sort_keys=True).encode(), usedforsecurity=False).hexdigest()[:7]


def _plain(one: Any) -> Any:
    """As JSON has it; numbers to six figures, so that a last bit of another processor is no difference."""
    match one:
        # What is by far the most comes first.
        case None | int() | str():
            return one
        case float():
            return (
                f"{one:.6g}" if math.isfinite(one) and abs(one) > 1e-9 else str(one) if not math.isfinite(one) else "0"
            )
        case bytes():
            return hashlib.sha1(one, usedforsecurity=False).hexdigest()
        case BaseModel():
            return _plain(one.model_dump(exclude_defaults=True))
        case dict():
            return {str(key): _plain(value) for key, value in one.items()}
        case list() | tuple():
            return [_plain(value) for value in one]
        case np.ndarray() | np.generic():
            return _plain(one.tolist())
        case _ if is_dataclass(one):
            return [_plain(getattr(one, field.name)) for field in fields(one)]
        case _:
            return str(one)


def all_sums() -> dict[str, Sums]:
    """Every case that is kept."""
    found: dict[str, Sums] = {}
    for kind in sorted(KINDS):
        found |= of_kind(kind)
    for seed in range(TAKES):
        found |= of_take(seed)
    return found


if __name__ == "__main__":
    rows = ",\n".join(f"{json.dumps(case)}: {json.dumps(sums)}" for case, sums in all_sums().items())
    KEPT.write_text(f"{{\n{rows}\n}}\n")
