"""What the core refuses, each with one sentence for the person who asked."""

from collections.abc import Mapping


class Refused(ValueError):
    """Base of everything the core refuses; `str()` of it is a sentence fit to be shown.

    `field` names the number that is wrong, where one is; `offer` numbers that would do.
    """

    def __init__(self, sentence: str, field: str | None = None, offer: Mapping[str, float] | None = None) -> None:
        super().__init__(sentence)
        self.field = field
        self.offer = dict(offer or {})


class BadFile(Refused):
    """The bytes are not a Standard MIDI File that can be read without guessing."""


class BadStroke(Refused):
    """A stroke's text form breaks its contract."""


class NothingMatched(Refused):
    """A stroke reaches nothing in this take, or nothing that its numbers fit."""


class BadStep(Refused):
    """A step of the history that cannot be taken (nothing to undo, no such stroke)."""
