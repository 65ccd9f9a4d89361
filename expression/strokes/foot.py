"""What strokes have in common that make lengths of pedal, or pedal of lengths."""

from typing import NamedTuple

import numpy as np
from typing_extensions import override

from expression.arrays import Flags, Ints, contained, union
from expression.errors import NothingMatched
from expression.lanes import SUSTAIN
from expression.sounding import Sounding, sounding
from expression.strokes.base import BaseStroke, Reach, Where, masks_of, select
from expression.take import Channel, Take

EARLY = 1
"""Ticks by which the pedal is down before keys are let go that it is to hold."""
SPLIT = 60
"""Where a part goes below and above middle C, two hands are told apart there."""


class Held(NamedTuple):
    """The notes of a channel, which of them a stroke changes, and from when on each needs a pedal until it ends."""

    channel: Channel
    sounds: Sounding
    chosen: Flags
    key_up: Ints
    needs: Flags


class FootStroke(BaseStroke):
    """A stroke that makes lengths of pedal, or pedal of lengths."""

    @property
    def target_lane(self) -> str:
        """The lane on which it shows."""
        return SUSTAIN

    def held(self, take: Take) -> list[Held]:
        """What becomes of the notes of each channel on which it acts."""
        raise NotImplementedError

    def span(self, take: Take, held: Held) -> tuple[int, int]:
        """Where the pedal is laid anew: as given; otherwise from the first of the notes until the last has ended."""
        if self.where.span:
            return self.where.span
        if held.chosen.all():
            return throughout(take)
        sounds = held.sounds
        return int(sounds.start[held.chosen].min()), int(sounds.end[held.chosen].max())

    @override
    def reach(self, take: Take) -> Reach:
        found = self.held(take)
        spans = [self.span(take, held) for held in found]
        parts = sorted({int(part) for held in found for part in union(held.sounds.part[held.chosen])})
        count = sum(int(held.chosen.sum()) for held in found)
        return Reach(min(a for a, _ in spans), max(b for _, b in spans), parts, count)


def throughout(take: Take) -> tuple[int, int]:
    """The span of all of a take."""
    return 0, take.end + 1


def chosen_in(where: Where, take: Take, threshold: float) -> list[tuple[Channel, Sounding, Flags]]:
    """The channels on which notes are chosen, how long theirs sound, and which are chosen. Raises NothingMatched."""
    masks = masks_of(take, where)
    if not masks:
        select(take, where)
    ids = np.concatenate([take.parts[part].notes.id[mask] for part, mask in masks.items()])
    found = []
    for number in sorted({take.parts[part].channel.id for part in masks}):
        sounds = sounding(take, take.channels[number], threshold)
        chosen = contained(sounds.id, np.sort(ids))
        if chosen.any():
            found.append((take.channels[number], sounds, chosen))
    if not found:
        raise NothingMatched("All of the chosen notes are muted.")
    return found
