"""The strokes: one model a kind. Adding a kind means adding it to `Stroke`, nothing more."""

from collections.abc import Mapping, Sequence
from typing import Annotated, Any, get_args

from pydantic import Field, TypeAdapter, ValidationError

from expression.errors import BadStroke
from expression.strokes.base import BaseStroke, Where, select
from expression.strokes.lane import LaneNodes
from expression.strokes.velocity import VelocityHairpin, VelocityNudge, VelocitySet

AnyStroke = VelocitySet | VelocityNudge | VelocityHairpin | LaneNodes
Stroke = Annotated[AnyStroke, Field(discriminator="kind")]
KINDS: dict[str, type[BaseStroke]] = {model.model_fields["kind"].default: model for model in get_args(AnyStroke)}

_one: TypeAdapter[AnyStroke] = TypeAdapter(Stroke)


def parse_stroke(data: Any) -> AnyStroke:
    """A stroke from its text form (decoded JSON). Raises BadStroke with a sentence and the field's name."""
    try:
        return _one.validate_python(data)
    except ValidationError as error:
        raise explain(error.errors()) from None


def explain(faults: Sequence[Mapping[str, Any]]) -> BadStroke:
    """The first of pydantic's faults, as a sentence that names the field and its range."""
    first = faults[0]
    kind = first["type"]
    if kind.startswith("union_tag"):
        return BadStroke(f"kind must be one of {', '.join(KINDS)}.", "kind")
    of = next((step for step in first["loc"] if step in KINDS), "")
    # What stands before the stroke's kind is where the stroke itself stood.
    path = first["loc"][first["loc"].index(of) + 1 :] if of else first["loc"]
    field = ".".join(str(step) for step in path) or None
    name = field or "stroke"
    if kind == "value_error":
        return BadStroke(f"{first['msg'].removeprefix('Value error, ')}.", field)
    if kind == "missing":
        return BadStroke(f"{name} is missing.", field)
    if kind == "extra_forbidden":
        return BadStroke(f"{name} is not a field of this stroke.", field)
    shown = f", not {first['input']!r:.40}" if "input" in first else ""
    if limits := _range(of, str(path[0]) if path else ""):
        return BadStroke(f"{name} must be {limits}{shown}.", field)
    message = first["msg"].removeprefix("Input ").removeprefix("Value ")
    return BadStroke(f"{name} {message[0].lower()}{message[1:]}{shown}.", field)


def _range(kind: str, field: str) -> str | None:
    """The range of a stroke's number, read from its model."""
    model = KINDS.get(kind)
    if not model or field not in model.model_fields:
        return None
    schema = model.model_json_schema()["properties"][field]
    if "enum" in schema:
        return "one of " + ", ".join(schema["enum"])
    if "minimum" not in schema:
        return None
    noun = "a whole number" if schema["type"] == "integer" else "a number"
    return f"{noun} from {schema['minimum']:g} to {schema['maximum']:g}"


__all__ = ["KINDS", "AnyStroke", "BaseStroke", "Stroke", "Where", "explain", "parse_stroke", "select"]
