"""Ways to play, and how much of each rule of performance belongs to them (docs/rules.md)."""

from typing import Literal

MOST_AMOUNT = 4
"""Times as much as a rule says, either way."""
Hand = Literal["struck", "plucked", "bowed", "blown", "sung", "drum", "pad"]
PARTS = (
    "arch", "high", "metre", "contrast", "voice", "lead", "gaps", "leaps", "loose", "swell", "vibrato", "slides",
)  # fmt: skip
HANDS: dict[str, tuple[float, ...]] = {
    "struck": (1.0, 0.5, 0.6, 0.6, 1.0, 1.0, 0.5, 0.5, 1.0, 0.0, 0.0, 0.0),
    "plucked": (0.8, 0.4, 0.8, 0.4, 0.6, 0.5, 0.6, 0.6, 1.0, 0.0, 0.0, 0.0),
    "bowed": (1.2, 0.5, 0.4, 0.6, 0.4, 0.0, 0.8, 0.0, 0.8, 1.0, 1.0, 0.6),
    "blown": (1.2, 0.8, 0.4, 0.8, 0.4, 0.0, 1.2, 0.4, 0.8, 1.2, 0.5, 0.2),
    "sung": (1.4, 0.8, 0.3, 0.6, 0.4, 0.0, 1.0, 0.0, 1.2, 1.0, 1.2, 1.0),
    "drum": (0.4, 0.0, 1.2, 0.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0),
    "pad": (0.6, 0.3, 0.2, 0.0, 0.4, 0.0, 0.0, 0.0, 0.8, 1.2, 0.0, 0.0),
}
"""How much of each of `PARTS` belongs to an instrument that is played so."""
