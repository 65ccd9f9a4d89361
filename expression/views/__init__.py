"""What a screen needs of a take, as typed answers: plain lists and numbers, sent as they are.

Each module tells one thing, and says its shape beside it (`TypedDict`: nothing is made twice of the long columns).
"""

from expression.views import (
    bend_faults,
    changes,
    checkup,
    compare,
    contours,
    delta,
    events,
    facts,
    faults,
    kinds,
    lanes,
    library,
    looks,
    note_faults,
    own_lanes,
    page,
    proof,
    reasons,
    sheet,
    strokes,
    unsent,
    wire,
)

__all__ = [
    "bend_faults",
    "changes",
    "checkup",
    "compare",
    "contours",
    "delta",
    "events",
    "facts",
    "faults",
    "kinds",
    "lanes",
    "library",
    "looks",
    "note_faults",
    "own_lanes",
    "page",
    "proof",
    "reasons",
    "sheet",
    "strokes",
    "unsent",
    "wire",
]
