"""A first shape for a stiff line: rules of performance together, as a kind of instrument is played."""

from collections.abc import Iterator
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression.chords import chord_onsets
from expression.errors import NothingMatched
from expression.hands import HANDS, MOST_AMOUNT, PARTS, Hand
from expression.percussion import CHANNEL
from expression.strokes.base import BaseStroke, Where, masks_of, select
from expression.strokes.bends import BendShake
from expression.strokes.lane import LaneKey
from expression.strokes.note_times import NotesLoosen
from expression.strokes.rules import (
    AMOUNT,
    ASK_AMOUNT,
    Amount,
    RuleArch,
    RuleContrast,
    RuleGaps,
    RuleHigh,
    RuleLead,
    RuleMetre,
    RuleVoice,
)
from expression.strokes.shapes import LaneShape
from expression.strokes.spec import ASK_ROLL, Gesture, Spec, choice, entry
from expression.take import Part, Take

LOOSE_MS, LOOSE_DRIFT = 8.0, 0.6
LONG_SECONDS = 0.6
"""Notes that last so long live: they swell, and tremble."""
LOUD, RISES, FALLS = 120.0, 36.0, 48.0
"""Of a swell on a controller: its peak, and by how much it begins and ends below that."""
TREMBLES, TREMBLED = 6.0, 28.0
"""Cents of a vibrato where it begins and where it ends, after half a beat without."""


class PlayAs(BaseStroke):
    """A first shape: rules of performance with the amounts that belong to a kind of instrument; each can be another."""

    kind: Literal["play.as"] = "play.as"
    spec = Spec(
        "play",
        "First shape",
        says="Each rule by an amount of its own: 0 switches it off. What it does is docs/rules.md.",
        asks=(
            choice("as", "Way", *((hand, hand) for hand in HANDS)),
            ASK_AMOUNT,
            *(entry(name, name.capitalize(), 0.1, "usual") for name in PARTS),
            ASK_ROLL,
        ),
        gestures=(
            Gesture(
                "shape",
                "First shape",
                "A stiff line as if it were played: struck, plucked, bowed, blown, sung, drummed, held",
                "perform humanise humanize expression automatic phrase arch play stiff programmed bowed blown",
                "Rules",
                where="notes of the part",
            ),
        ),
        evidence=("facts",),
    )
    vars()["__annotations__"]["as"] = Hand
    vars()["as"] = Field("struck", description="How the instrument is played.")
    amount: Amount = AMOUNT
    arch: Amount | None = Field(None, description="Phrase arch, times `amount`; absent: as the hand has it.")
    high: Amount | None = Field(None, description="High is loud.")
    metre: Amount | None = Field(None, description="The metre's accents.")
    contrast: Amount | None = Field(None, description="Short is soft.")
    voice: Amount | None = Field(None, description="The upper voice above its chord.")
    lead: Amount | None = Field(None, description="The melody leads.")
    gaps: Amount | None = Field(None, description="Little gaps.")
    loose: Annotated[float, Field(ge=0, le=4)] | None = Field(
        None, description="Looseness, 8 ms at 1, most of it slow."
    )
    swell: Annotated[float, Field(ge=0, le=2)] | None = Field(None, description="Long notes swell.")
    vibrato: Annotated[float, Field(ge=0, le=4)] | None = Field(
        None, description="Long notes tremble after a while, where one sounds at a time."
    )
    swell_on: LaneKey = Field("cc:11", description="The lane that carries how loud a note goes on.")
    seed: Annotated[int, Field(ge=0, le=2**31 - 1)] = Field(1, description="Another seed is another roll of the dice.")

    @model_validator(mode="after")
    def _carries(self) -> Self:
        if self.swell_on.startswith("note") or self.swell_on == "bend":
            raise ValueError("swell_on must be a lane of a channel that goes with loudness, such as cc:11")
        return self

    @property
    def hand(self) -> str:
        """How the instrument is played: the field `as`, which is no name of Python's."""
        return str(getattr(self, "as"))

    def amounts(self) -> dict[str, float]:
        """How much there is of each of `PARTS`."""
        usual = dict(zip(PARTS, HANDS[self.hand], strict=True))
        asked = {name: getattr(self, name) for name in PARTS}
        return {name: self.amount * (usual[name] if asked[name] is None else asked[name]) for name in PARTS}

    def strokes(self, take: Take) -> list[BaseStroke]:
        """What it comes to, stroke by stroke. Raises NothingMatched where it reaches no notes."""
        select(take, self.where)
        return list(self._strokes(take))

    def _strokes(self, take: Take) -> Iterator[BaseStroke]:
        much = self.amounts()
        for name, rule in (
            ("arch", RuleArch), ("high", RuleHigh), ("metre", RuleMetre), ("contrast", RuleContrast),
            ("voice", RuleVoice), ("lead", RuleLead), ("gaps", RuleGaps),
        ):  # fmt: skip
            if much[name]:
                given = {"about": self._middle(take)} if name == "high" else {}
                amount = float(np.clip(much[name], -MOST_AMOUNT, MOST_AMOUNT))
                yield rule.model_validate({"where": self.where, "amount": amount, **given})
        if much["loose"] > 0:
            loose = {"amount_ms": LOOSE_MS * much["loose"], "drift": LOOSE_DRIFT, "seed": self.seed}
            yield NotesLoosen.model_validate({"where": self.where, **loose})
        for part, where, is_line in self._long(take) if much["swell"] > 0 or much["vibrato"] > 0 else ():
            if (by := min(much["swell"], 2.0)) > 0:
                form = {"start": LOUD - RISES * by, "end": LOUD - FALLS * by, "peak": LOUD, "peak_at": 0.4, "ease": 0.5}
                yield LaneShape.model_validate({"where": where, "lane": self.swell_on, "notes": True, **form})
            if much["vibrato"] > 0 and is_line and part.channel.number != CHANNEL:
                depth, end = TREMBLES * much["vibrato"], TREMBLED * much["vibrato"]
                yield BendShake.model_validate({"where": where, "depth": depth, "depth_end": end, "delay": 0.5})

    def _middle(self, take: Take) -> int:
        """The pitch about which high and low lie: the mean of what it reaches."""
        masks = masks_of(take, self.where)
        return round(float(np.concatenate([take.parts[one].notes.pitch[mask] for one, mask in masks.items()]).mean()))

    def _long(self, take: Take) -> Iterator[tuple[Part, Where, bool]]:
        """Of each part its long notes, and whether it has one note at a time."""
        for number, mask in masks_of(take, self.where).items():
            part = take.parts[number]
            notes = part.notes
            length = take.tempo.seconds(notes.end) - take.tempo.seconds(notes.start)
            ids = np.sort(notes.id[mask & ~notes.muted & (length >= LONG_SECONDS)])
            if len(ids):
                breaks = np.flatnonzero(np.diff(ids) > 1) + 1
                ranges = tuple((int(one[0]), int(one[-1])) for one in np.split(ids, breaks))
                onsets = chord_onsets(notes.start[mask], take.resolution)
                is_line = len(np.unique(onsets)) == len(onsets)
                where = {"parts": (number,), "notes": ranges, "span": self.where.span}
                yield part, Where.model_validate(where), is_line

    @override
    def apply(self, take: Take) -> Take:
        made = take
        for stroke in self.strokes(take):
            try:
                made = stroke.apply(made)
            except NothingMatched:
                # A chord that is not there has no upper voice: the others still act.
                continue
        return made

    @override
    def label(self) -> str:
        return f"As if {self.hand}" + ("" if self.amount == 1 else f", {self.amount:g}".replace("-", "−"))
