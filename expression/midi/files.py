"""A take from the bytes of any file that Lull reads, and to those of any that it writes."""

from typing import Literal

from expression.midi.clip_read import read_clip
from expression.midi.clip_write import write_clip
from expression.midi.read import read
from expression.midi.ump import HEADER
from expression.midi.write import write
from expression.take import Take

FileKind = Literal["plain", "mpe", "clip"]


def opened(data: bytes) -> Take:
    """A Standard MIDI File or a MIDI 2.0 clip file as a take. Raises BadFile."""
    return read_clip(data) if data[: len(HEADER)] == HEADER else read(data)


def saved(take: Take, kind: FileKind | None = None, tolerance: float = 0.0) -> bytes:
    """The file of a take: as its parts are sent, plainly where they leave it open, in zones of MPE, or a clip file."""
    return write_clip(take) if kind == "clip" else write(take, tolerance, kind)
