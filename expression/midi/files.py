"""A take from the bytes of any file that Lull reads, and to those of any that it writes."""

from typing import Literal

from expression.errors import NothingMatched
from expression.midi.clip_read import read_clip
from expression.midi.clip_write import write_clip
from expression.midi.excerpt import Asked, excerpt, of_parts
from expression.midi.read import read
from expression.midi.ump import HEADER
from expression.midi.write import write
from expression.take import Take

FileKind = Literal["plain", "mpe", "clip"]
ALL = Asked()
_FORMS = {"plain": "plain", "mpe": "MPE"}


def opened(data: bytes) -> Take:
    """A Standard MIDI File or a MIDI 2.0 clip file as a take. Raises BadFile."""
    return read_clip(data) if data[: len(HEADER)] == HEADER else read(data)


def saved(take: Take, kind: FileKind | None = None, tolerance: float = 0.0, asked: Asked = ALL) -> bytes:
    """The file of a take: as its parts are sent, plainly where they leave it open, in zones of MPE, or a clip file.

    `asked`: of some parts or bars, in one track. Raises NothingMatched where that is nothing, or cannot be said so.
    """
    if kind != "clip":
        return write(take, tolerance, kind) if asked == ALL else excerpt(take, asked, tolerance, kind)
    if asked.span is not None or asked.format is not None:
        raise NothingMatched("A clip file holds all bars in one sequence; take bars, or a format, as MIDI.", "kind")
    return write_clip(take if asked.parts is None else of_parts(take, asked.parts))


def file_name(
    take: Take, name: str, kind: FileKind | None = None, cues: bool = True, tolerance: float = 0.0, asked: Asked = ALL
) -> str:
    """What such a file is called: two forms of a take cannot be mistaken for each other."""
    said = [name]
    if asked.parts is not None:
        said += [take.parts[one].name or f"part {one + 1}" for one in asked.parts if one < len(take.parts)]
    if asked.span is not None:
        first, last = (take.meter.position(tick).bar for tick in (asked.span[0], max(asked.span[1] - 1, 0)))
        said.append(f"bar {first}" if first == last else f"bars {first} to {last}")
    said += [_FORMS[kind]] if kind in _FORMS else []
    said += ["one track"] if asked.format == 0 else []
    said += [] if cues else ["without cues"]
    said += [f"thinned by {tolerance:g}"] if tolerance else []
    return f"{', '.join(said)}.{'midi2' if kind == 'clip' else 'mid'}"
