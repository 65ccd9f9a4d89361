"""`docs/strokes.md`, and what the desk has to know of strokes: made from their models, so that they cannot drift."""

import json
from dataclasses import asdict

from expression import limits
from expression.documents import Document
from expression.strokes import KINDS, BaseStroke, Where
from expression.strokes.copying import CopyTarget
from expression.strokes.spec import Ask
from expression.strokes.writing import Node

_HEAD = """# Strokes

*Generated from the models by `./lull generate`; do not edit.*

A stroke is one edit of a take. Its text form is a JSON object with a `kind`, a `where`, and its numbers. It is what
Lull saves, what the API takes and returns, and what `./lull shape IN.mid --strokes FILE.json -o OUT.mid` reads as a
list.

Unknown fields, numbers out of range, infinities and non-numbers are refused with the field's name. A stroke whose
`where` reaches nothing is refused too.

## where

Its fields narrow each other; an absent one does not restrict. `{}` is everything.
"""


NOUNS = {"integer": "whole number", "number": "number", "boolean": "`true`, `false`", "string": "text"}


def limits_document() -> str:
    """The page of limits as Markdown."""
    rows = "\n".join(f"| {limit.of} | {limit.what} | {limit.most} |" for limit in limits.TABLE)
    return f"{_LIMITS_HEAD}\n| of | what | at most |\n|---|---|---|\n{rows}\n"


_LIMITS_HEAD = """# Limits

What any input may be at most. All of it is said in `expression/limits.py` (this page is made from it by
`./lull generate`) and held to before anything is built, as far as an input tells its size; what is beyond is refused in
a sentence that says what to do.
"""


def stroke_document() -> str:
    """The whole page as Markdown."""
    pieces = [_HEAD, _table(Where.model_json_schema()["properties"])]
    pieces.append(
        "```json\n"
        + json.dumps({"parts": [0], "notes": [[0, 12], [15, 15]], "span": [0, 7680], "pitches": [38, 40]})
        + "\n```\n"
    )
    for kind, model in KINDS.items():
        properties = dict(model.model_json_schema()["properties"])
        del properties["kind"], properties["where"]
        pieces.append(f"## {kind}\n\n{(model.__doc__ or '').strip()}\n\n{_table(properties)}")
    for record in (Node, CopyTarget):
        fields = _table(record.model_json_schema()["properties"])
        pieces.append(f"## {record.__name__.lower()}\n\n{(record.__doc__ or '').strip()}\n\n{fields}")
    return "\n".join(pieces)


def stroke_table() -> str:
    """All that the desk has to know of every kind, as JSON: what is said of it, and its fields' defaults and limits."""
    return json.dumps({kind: _known(model) for kind, model in KINDS.items()}, indent=1, ensure_ascii=False) + "\n"


def _known(model: type[BaseStroke]) -> Document:
    """What is said of a kind; what is as it mostly is, is left out."""
    schema = model.model_json_schema()
    properties = schema["properties"]
    spec = _without(asdict(model.spec), ((), "", None, False))
    lanes = properties.get("lane", {}).get("anyOf", ())
    return {
        **spec,
        "asks": [_plain(ask, Ask("", "")) for ask in model.spec.asks],
        "named_by": [name for name in model.spec.named_by if name in properties],
        "gestures": [_without(asdict(gesture), (False,)) for gesture in model.spec.gestures],
        "fields": _limits(schema),
        **({"stands": True} if model.stands else {}),
        **({"many": True} if any(one.get("type") == "array" for one in lanes) else {}),
    }


def _plain(ask: Ask, usual: Ask) -> Document:
    """A field of a form without what is as usual. False and none are values of choices, and stay."""
    told = {name: value for name, value in asdict(ask).items() if value != getattr(usual, name)}
    for name, empty in (("when", (None, ())), ("options", ({},))):
        if name in told:
            told[name] = [_without(one, empty) for one in told[name]]
    return {"name": ask.name, "label": ask.label, "widget": ask.widget, **told}


def _without(said: Document, empty: tuple[object, ...]) -> Document:
    return {name: value for name, value in said.items() if value not in empty}


def _limits(schema: Document) -> dict[str, Document]:
    fields = {}
    for name, field in schema["properties"].items():
        numbers = [one for one in field.get("anyOf", [field]) if one.get("type") in ("number", "integer")]
        told = {"low": _limit_of(numbers, "minimum"), "high": _limit_of(numbers, "maximum")} if numbers else {}
        known = {limit: value for limit, value in told.items() if value is not None}
        default = {} if "default" not in field or name in ("kind", "where") else {"default": field["default"]}
        if known or default:
            fields[name] = {**default, **known}
    return fields


def _limit_of(choices: list[Document], limit: str) -> float | None:
    """The limit that any of some choices of numbers has."""
    return next((choice[limit] for choice in choices if limit in choice), None)


def _table(properties: Document) -> str:
    rows = ["| field | values | default | meaning |", "|---|---|---|---|"]
    for name, schema in properties.items():
        default = f"`{json.dumps(schema['default'])}`" if schema.get("default") is not None else ""
        if "default" not in schema:
            default = "required"
        meaning = " ".join(schema.get("description", "").split())
        rows.append(f"| `{name}` | {_values(schema)} | {default} | {meaning} |")
    return "\n".join(rows) + "\n"


def _values(schema: Document) -> str:
    if "anyOf" in schema:
        return ", or ".join(_values(choice) for choice in schema["anyOf"] if choice.get("type") != "null")
    if "$ref" in schema:
        return f"[{schema['$ref'].rsplit('/', 1)[1].lower()}](#{schema['$ref'].rsplit('/', 1)[1].lower()})"
    if "enum" in schema:
        return ", ".join(f"`{value}`" for value in schema["enum"])
    if schema.get("type") == "array":
        inner = schema["prefixItems"] if "prefixItems" in schema else [schema["items"]]
        shown = ", ".join(_values(item) for item in inner)
        return f"[{shown}]" if "prefixItems" in schema else f"list of {shown}"
    noun = NOUNS[schema["type"]]
    if "exclusiveMinimum" in schema:
        return f"{noun}, above {schema['exclusiveMinimum']:g}, {schema['maximum']:g} at most"
    if schema.get("maximum", 2**53) < 2**53:
        return f"{noun}, {schema['minimum']:g} to {schema['maximum']:g}"
    return f"{noun}, {schema['minimum']:g} or more" if "minimum" in schema else noun
