"""Records that come from outside: strokes and hands, in their text form."""

from functools import cache
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, model_validator

Unit = Annotated[float, Field(ge=0, le=1)]


class Record(BaseModel):
    """A record of a stroke's text form: unknown fields, infinities and non-numbers are refused."""

    # Built when first used: a command that needs no stroke does not wait for them.
    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False, defer_build=True)

    @model_validator(mode="before")
    @classmethod
    def _no_truths_for_numbers(cls, given: object) -> object:
        """JSON's true and false are no numbers, though Python would count with them."""
        if isinstance(given, dict):
            for name, value in given.items():
                if name in _without_truth(cls) and _holds_truth(value):
                    raise ValueError(f"{name} must be a number, not true or false")
        return given


@cache
def _without_truth(model: type[BaseModel]) -> frozenset[str]:
    """The fields of a model that can be neither true nor false: looked up once, not with each stroke that is tried."""
    return frozenset(name for name, field in model.model_fields.items() if "bool" not in str(field.annotation))


def _holds_truth(value: object) -> bool:
    """Whether a value, or anything in lists of it, is true or false."""
    return value is True or value is False or (isinstance(value, list | tuple) and any(map(_holds_truth, value)))
