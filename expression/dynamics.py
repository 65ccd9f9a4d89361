"""Velocity in a player's words."""

MARKS: tuple[tuple[str, int], ...] = (
    ("ppp", 16),
    ("pp", 32),
    ("p", 48),
    ("mp", 64),
    ("mf", 80),
    ("f", 96),
    ("ff", 112),
    ("fff", 127),
)
"""Dynamic and the velocity it stands at: even steps over the range, as most instruments are voiced."""


def dynamic(velocity: float) -> str:
    """The dynamic nearest to a velocity of 1 to 127."""
    return min(MARKS, key=lambda mark: abs(mark[1] - velocity))[0]
