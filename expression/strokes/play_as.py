"""A first shape for a stiff line: rules of performance together, as a kind of instrument is played."""

from collections.abc import Iterator
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression.documents import Document
from expression.hands import HANDS, MOST_AMOUNT, PARTS, Hand
from expression.strokes.base import BaseStroke, Dial, masks_of
from expression.strokes.lane import LaneKey
from expression.strokes.long_rules import RuleLoose, RuleSlides, RuleSwell, RuleVibrato, level_lane
from expression.strokes.made_of import MadeOf
from expression.strokes.rules import (
    AMOUNT,
    ASK_AMOUNT,
    Amount,
    Rule,
    RuleArch,
    RuleContrast,
    RuleGaps,
    RuleHigh,
    RuleLead,
    RuleLeaps,
    RuleMetre,
    RuleVoice,
)
from expression.strokes.spec import ASK_ROLL, Gesture, Spec, choice, entry
from expression.take import Take

MOST_SWELL = 2
"""More would leave nothing to swell from."""
Swells = Annotated[float, Field(ge=0, le=MOST_SWELL)]
Shakes = Annotated[float, Field(ge=0, le=4)]
BY_NAME: dict[str, type[Rule]] = {
    "arch": RuleArch,
    "high": RuleHigh,
    "metre": RuleMetre,
    "contrast": RuleContrast,
    "voice": RuleVoice,
    "lead": RuleLead,
    "gaps": RuleGaps,
    "leaps": RuleLeaps,
    "loose": RuleLoose,
    "swell": RuleSwell,
    "vibrato": RuleVibrato,
    "slides": RuleSlides,
}
"""The rules of `PARTS`."""


class PlayAs(MadeOf):
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
        by_phrase=True,
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
    leaps: Amount | None = Field(None, description="Air before leaps.")
    loose: Shakes | None = Field(None, description="Looseness, 8 ms at 1, most of it slow.")
    swell: Swells | None = Field(None, description="Long notes swell.")
    vibrato: Shakes | None = Field(None, description="Long notes tremble after a while, where one sounds at a time.")
    slides: Amount | None = Field(None, description="Leaps are slid into, where one sounds at a time.")
    swell_on: LaneKey | None = Field(
        None, description="The lane that carries how loud a note goes on; absent: one that the part has for that."
    )
    seed: Annotated[int, Field(ge=0, le=2**31 - 1)] = Field(1, description="Another seed is another roll of the dice.")

    @model_validator(mode="after")
    def _carries(self) -> Self:
        level_lane(self.swell_on, "swell_on")
        return self

    @property
    def hand(self) -> str:
        """How the instrument is played: the field `as`, which is no name of Python's."""
        return str(getattr(self, "as"))

    def amounts(self) -> dict[str, float]:
        """How much there is of each of `PARTS`."""
        return dict.fromkeys(PARTS, 0.0) | {dial.field: self.amount * dial.amount for dial in self.dials()}

    @override
    def pieces(self, take: Take) -> list[BaseStroke]:
        return self.strokes(take)

    @override
    def dials(self) -> list[Dial]:
        usual = dict(zip(PARTS, HANDS[self.hand], strict=True))
        asked = {name: getattr(self, name) for name in PARTS}
        amounts = {name: usual[name] if asked[name] is None else asked[name] for name in PARTS}
        return [
            Dial(name, BY_NAME[name].spec.name, amounts[name], usual[name])
            for name in PARTS
            if usual[name] or asked[name] is not None
        ]

    @override
    def made(self, take: Take) -> Iterator[BaseStroke]:
        more: dict[str, Document] = {
            "high": {"about": self._middle(take)},
            "swell": {"on": self.swell_on},
            "loose": {"seed": self.seed},
        }
        for name, much in self.amounts().items():
            if much:
                most = MOST_SWELL if name == "swell" else MOST_AMOUNT
                amount = float(np.clip(much, -most, most))
                yield BY_NAME[name].model_validate({"where": self.where, "amount": amount, **more.get(name, {})})

    def _middle(self, take: Take) -> int:
        """The pitch about which high and low lie: the mean of what it reaches."""
        masks = masks_of(take, self.where)
        return round(float(np.concatenate([take.parts[one].notes.pitch[mask] for one, mask in masks.items()]).mean()))

    @override
    def label(self) -> str:
        return f"As if {self.hand}" + ("" if self.amount == 1 else f", {self.amount:g}".replace("-", "−"))
