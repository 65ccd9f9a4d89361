"""A shaped take put away as bytes, and taken up again: reading and folding need not begin from nothing.

The bytes are Python's own (pickle) and mean something to the very code alone that wrote them: `MADE_BY` says which.
They are for a store that only Lull writes to, never for what somebody else has sent.
"""

import hashlib
import io
import pickle
import zlib
from collections.abc import Mapping, Sequence
from itertools import chain, repeat
from pathlib import Path
from typing import Any

import numpy as np

from expression import memo
from expression.arrays import constant, is_constant
from expression.history import Entry, Folded, History, Shaped


def _fingerprint() -> str:
    """Of all the core's code: what a take looks like in memory may change with any of it."""
    seen = hashlib.blake2b(np.__version__.encode(), digest_size=8)
    home = Path(__file__).parent
    for file in sorted(home.rglob("*.py")):
        seen.update(str(file.relative_to(home)).encode() + file.read_bytes())
    return seen.hexdigest()


MADE_BY = _fingerprint()


class _Pickler(pickle.Pickler):
    """Columns of one value take as little room as they do in memory."""

    def reducer_override(self, found: Any) -> Any:
        if isinstance(found, np.ndarray) and found.ndim == 1 and is_constant(found):
            return constant, (found[0], len(found), found.dtype)
        return NotImplemented


def put_away(shaped: Shaped) -> bytes:
    """A shaped take with every take along its way, packed."""
    out = io.BytesIO()
    strokes = [_told(entry) for entry in shaped.entries]
    _Pickler(out, protocol=5).dump((strokes, shaped.folds))
    return zlib.compress(out.getbuffer(), 1)


def taken_up(data: bytes, history: History) -> Shaped:
    """The take of `put_away`, brought to a history: only strokes that are not in it alike are folded.

    Raises any of pickle's and zlib's errors where the bytes are not what was put away by this code.
    """
    strokes, folds = pickle.loads(zlib.decompress(data))
    entries = history.entries()
    common = 0
    while common < min(len(strokes), len(entries)) and strokes[common] == _told(entries[common]):
        common += 1
    return Shaped(history, tuple(entries[:common]), folds[: common + 1]).with_history(history)


def _told(entry: Entry) -> tuple[int, bool, str]:
    return entry.number, entry.on, entry.stroke.model_dump_json(exclude_none=True)


def weight(shaped: Shaped, known: Shaped | None = None, weights: tuple[int, ...] = ()) -> tuple[int, ...]:
    """Bytes in memory that each take along the way holds and the one before it does not.

    `weights` are those of `known`, which share a beginning: that is not weighed again.
    """
    common = 0
    if known is not None:
        while common < min(len(known.folds), len(shaped.folds)) and known.folds[common] is shaped.folds[common]:
            common += 1
    said = list(weights[:common])
    for at in range(common, len(shaped.folds)):
        before = shaped.folds[at - 1].take if at else None
        said.append(_anew(shaped.folds[at].take, before) + FOLD_BYTES)
    return tuple(said)


def worked_weight(shaped: Shaped) -> int:
    """Bytes of what was worked out from the newest takes along the way: what several of them know, once."""
    known = {id(found): (found, one) for one in _remembering(shaped.folds[-LOOKED_AT:]) for found in memo.kept(one)}
    return sum(_anew(found, one if type(found) is type(one) else None) for found, one in known.values())


def plain_weight(told: object) -> int:
    """Bytes of lists and mappings of plain data, as they are before they are written as JSON."""
    if isinstance(told, Mapping):
        return sum(plain_weight(value) for value in told.values())
    if isinstance(told, list) and told and isinstance(told[0], int | float):
        return NUMBER_BYTES * len(told)
    return sum(plain_weight(value) for value in told) if isinstance(told, list | tuple) else NUMBER_BYTES


def let_go(shaped: Shaped) -> None:
    """Forget what was worked out from takes that nobody looks at any longer: all but the newest."""
    newest = _remembering(shaped.folds[-LOOKED_AT:])
    for one in _remembering(shaped.folds[:-LOOKED_AT]) - newest:
        memo.forget(one)


def _remembering(folds: Sequence[Folded]) -> set[memo.Remembers]:
    """Takes along the way, the rows they stand on, and their notes."""
    takes = [fold.take for fold in folds]
    return {one for take in takes for one in (take, take.rows, *(part.notes for part in take.parts))}


LOOKED_AT = 2
"""The take as it is, and as it was before the newest stroke."""
NUMBER_BYTES = 40
"""What a number weighs in a list: itself, and where it is."""
FOLD_BYTES = 4_096
"""What a take weighs besides its columns: the objects that hold them."""


def _anew(now: object, before: object) -> int:
    """Bytes of what is in one value and not in the other, which is as it was made from."""
    if now is before:
        return 0
    if isinstance(now, np.ndarray):
        return 0 if is_constant(now) else now.nbytes
    if isinstance(now, bytes):
        return len(now)
    # (The fields of a dataclass: `fields` would make a tuple of them each time, and this is asked for very often.)
    if columns := getattr(now, "__dataclass_fields__", None):
        known = before if type(before) is type(now) else None
        return sum(_anew(getattr(now, name), getattr(known, name, None)) for name in columns)
    if isinstance(now, tuple):
        placed = before if isinstance(before, tuple) else ()
        beside = zip(now, chain(placed, repeat(None)), strict=False)
        return sum(_anew(value, one) for value, one in beside if value is not one)
    if isinstance(now, Mapping):
        named = before if isinstance(before, Mapping) else {}
        return sum(_anew(value, named.get(key)) for key, value in now.items())
    return 0
