"""What is worked out once of a take, or of a curve, and let go of with it.

It is kept on the very object that it was worked out from: nobody else's work pushes it out, nothing is held that is
not asked for any longer, and the functions are plain ones.
"""

import weakref
from collections import OrderedDict
from collections.abc import Callable
from functools import wraps
from typing import Any, ParamSpec, TypeVar

Asked = ParamSpec("Asked")
Found = TypeVar("Found")
Other = TypeVar("Other", bound="Remembers")
_KEPT, _LASTING, _BESIDE = "_worked_out", "_lasting", "_beside"
_NOTHING: Any = object()


class Remembers:
    """An object that never changes, on which is kept what was worked out from it. That is no part of what it says."""

    def __getstate__(self) -> dict[str, object]:
        return {name: value for name, value in vars(self).items() if name not in (_KEPT, _LASTING, _BESIDE)}


def worked_out(most: int = 4, is_lasting: bool = False) -> Callable[[Callable[Asked, Found]], Callable[Asked, Found]]:
    """Keep the last few answers of a function on the first of its arguments that remembers (a take, a curve, rows).

    What else it is asked with has to be hashable, and must not change. `most`: so many answers for each such object.
    `is_lasting`: it asks for nothing that others differ in to which it is `passed_on`.
    """

    kind = _LASTING if is_lasting else _KEPT

    def keeping(function: Callable[Asked, Found]) -> Callable[Asked, Found]:
        @wraps(function)
        def asked_for(*args: Asked.args, **named: Asked.kwargs) -> Found:
            # (It is asked some sixty times while a preview is made of a take in many parts.)
            place = 0
            while not isinstance(args[place], Remembers):
                place += 1
            asked = (*args[:place], *args[place + 1 :], *named.items()) if place or named else args[1:]
            mine = vars(args[place])
            known = mine[kind] if kind in mine else mine.setdefault(kind, {})
            answers = known[function] if function in known else known.setdefault(function, OrderedDict())
            found: Found = answers.get(asked, _NOTHING)
            if found is _NOTHING:
                found = answers[asked] = function(*args, **named)
            # Of two that work at once one may have taken the oldest away already.
            while len(answers) > most:
                answers.popitem(last=False)
            return found

        return asked_for

    return keeping


def beside(function: Callable[[Other, Other], Found]) -> Callable[[Other, Other], Found]:
    """Keep what was found last of an object beside another: on the second, and of the first not even that it lives."""

    @wraps(function)
    def asked_for(one: Other, other: Other) -> Found:
        known = vars(other).get(_BESIDE, {}).get(asked_for)
        if known is not None and known[0]() is one:
            found: Found = known[1]
            return found
        found = function(one, other)
        remember(asked_for, one, other, found)
        return found

    return asked_for


def remember(function: Callable[[Other, Other], Found], one: Other, other: Other, found: Found) -> None:
    """What a function that is asked `beside` would find, where whoever made the second knows it already."""
    vars(other).setdefault(_BESIDE, {})[function] = (weakref.ref(one), found)


def passed_on(one: Remembers, other: Remembers) -> None:
    """What lasts of one object counts for another too, that differs from it only in what nobody asks for there."""
    vars(other)[_LASTING] = vars(one).setdefault(_LASTING, {})


def forget(one: Remembers) -> None:
    """Let go of all that was worked out from an object: it is not looked at any longer."""
    for place in (_KEPT, _LASTING):
        vars(one).pop(place, None)


def kept(one: Remembers) -> list[object]:
    """All that is kept on an object. (Others may add to it meanwhile: it is looked through as it is just now.)"""
    places = (vars(one).get(place, {}) for place in (_KEPT, _LASTING))
    return [found for known in places for answers in list(known.values()) for found in list(answers.values())]
