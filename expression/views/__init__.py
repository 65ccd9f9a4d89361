"""What a screen needs of a take, as typed answers: plain lists and numbers, sent as they are.

Each module tells one thing, and says its shape beside it (`TypedDict`: nothing is made twice of the long columns).
"""

from expression.views import changes, events, facts, findings, kinds, lanes, library, looks, page, strokes

__all__ = ["changes", "events", "facts", "findings", "kinds", "lanes", "library", "looks", "page", "strokes"]
