"""What can be read of a file that is damaged or cut short."""

from typing import NamedTuple

from expression.errors import BadFile
from expression.midi import smf
from expression.status import META


class Rescued(NamedTuple):
    """A whole file, and in sentences what it lacks."""

    data: bytes
    lost: list[str]


def rescued(data: bytes) -> Rescued:
    """A Standard MIDI File of all that can be read of a damaged one: each track up to where it breaks off.

    Raises BadFile where nothing can be, or where it would take guessing from the first byte on.
    """
    file = smf.parse(data, rescues=True)
    if not any((track.status < META).any() for track in file.tracks):
        raise BadFile("Nothing that sounds can be read of this file. Get it again from where it came.")
    return Rescued(smf.compose(file.format, file.division, file.tracks), file.remarks)
