"""The strokes: one model a kind. Adding a kind means adding it to `Stroke`, nothing more."""

from typing import Annotated, Any, get_args

from pydantic import Field, TypeAdapter, ValidationError

from expression.errors import BadStroke
from expression.strokes.base import BaseStroke, Where, select
from expression.strokes.velocity import VelocityHairpin, VelocityNudge, VelocitySet

AnyStroke = VelocitySet | VelocityNudge | VelocityHairpin
Stroke = Annotated[AnyStroke, Field(discriminator="kind")]
KINDS: dict[str, type[BaseStroke]] = {model.model_fields["kind"].default: model for model in get_args(AnyStroke)}

_one: TypeAdapter[AnyStroke] = TypeAdapter(Stroke)
_place: TypeAdapter[Where] = TypeAdapter(Where)


def parse_stroke(data: Any) -> AnyStroke:
    """A stroke from its text form (decoded JSON). Raises BadStroke with a sentence and the field's name."""
    try:
        return _one.validate_python(data)
    except ValidationError as error:
        raise explain(error) from None


def parse_where(data: Any) -> Where:
    """A place from its text form. Raises BadStroke."""
    try:
        return _place.validate_python(data)
    except ValidationError as error:
        raise explain(error) from None


def explain(error: ValidationError) -> BadStroke:
    """The first fault that pydantic found, as a sentence that names the field and its range."""
    first = error.errors()[0]
    kind, given = first["type"], first.get("input")
    if kind.startswith("union_tag"):
        return BadStroke(f"kind must be one of {', '.join(KINDS)}.", "kind")
    path = [str(step) for step in first["loc"] if step not in KINDS]
    field = ".".join(path) or None
    name = field or "stroke"
    if kind == "value_error":
        return BadStroke(f"{first['msg'].removeprefix('Value error, ')}.", field)
    if kind == "missing":
        return BadStroke(f"{name} is missing.", field)
    if kind == "extra_forbidden":
        return BadStroke(f"{name} is not a field of this stroke.", field)
    shown = f"{given!r:.40}"
    if limits := _range(str(first["loc"][0]), path[0] if path else ""):
        return BadStroke(f"{name} must be {limits}, not {shown}.", field)
    message = first["msg"].removeprefix("Input ").removeprefix("Value ")
    return BadStroke(f"{name}: {message[0].lower()}{message[1:]}, not {shown}.", field)


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


__all__ = ["KINDS", "AnyStroke", "BaseStroke", "Stroke", "Where", "explain", "parse_stroke", "parse_where", "select"]
