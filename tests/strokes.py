"""Strokes as anybody might send them: what their schemas allow, what lies near it, and what does not belong there."""

import math
from functools import cache
from typing import Any

from hypothesis import strategies as st

from expression.strokes import KINDS

numbers = st.one_of(
    st.integers(-(2**70), 2**70), st.integers(-200, 200), st.floats(allow_nan=False), st.sampled_from([1e308, -0.0])
)
scraps = st.recursive(
    st.one_of(st.none(), st.booleans(), numbers, st.text(max_size=5)),
    lambda inner: st.one_of(st.lists(inner, max_size=3), st.dictionaries(st.text(max_size=5), inner, max_size=3)),
    max_leaves=6,
)
pairs = st.one_of(scraps, st.lists(numbers, min_size=2, max_size=2))
wheres = st.one_of(
    scraps,
    st.fixed_dictionaries(
        {},
        optional={
            "parts": st.one_of(scraps, st.lists(numbers, max_size=3)),
            "notes": st.one_of(scraps, st.lists(pairs, max_size=3)),
            "span": pairs,
            "pitches": st.one_of(scraps, st.lists(numbers, max_size=3)),
        },
    ),
)
parts = st.one_of(st.just([0]), st.just([0]), st.just([0, 1]), st.just([1]))
spans = st.one_of(
    st.tuples(st.integers(0, 3000), st.integers(3001, 6000)), st.tuples(st.integers(0, 5000), st.integers(5001, 2**41))
)
here = st.one_of(
    st.fixed_dictionaries({"parts": parts, "span": spans}),
    st.fixed_dictionaries({"parts": parts}, optional={"notes": st.just([[0, 3], [8, 8]])}),
)


def _meant(schema: dict[str, Any], known: dict[str, Any]) -> st.SearchStrategy[Any]:
    """What a JSON schema allows, with bounds and what lies near them taken often."""
    if "$ref" in schema:
        return _meant(known[schema["$ref"].rpartition("/")[2]], known)
    if "anyOf" in schema:
        return st.one_of([_meant(choice, known) for choice in schema["anyOf"]])
    if "enum" in schema or "const" in schema:
        return st.sampled_from(schema.get("enum") or [schema["const"]])
    match schema.get("type"):
        case "boolean":
            return st.booleans()
        case "null":
            return st.none()
        case "string":
            return st.sampled_from(["cc:1", "cc:1", "cc:11", "cc:64", "bend", "pressure", "velocity"])
        case "integer" | "number" as kind:
            low = schema.get("minimum", schema.get("exclusiveMinimum", -(2**20)))
            high = schema.get("maximum", 2**20)
            first, last = math.ceil(low), math.floor(high)
            near = [st.integers(first, min(first + far, last)) for far in (1, 10, 10_000)]
            return st.one_of(*near, st.floats(low, high) if kind == "number" else st.integers(low, high))
        case "array" if "prefixItems" in schema:
            return st.tuples(*(_meant(item, known) for item in schema["prefixItems"]))
        case "array":
            fewest = schema.get("minItems", 0)
            items = st.lists(_meant(schema["items"], known), min_size=fewest, max_size=max(fewest, 4))
            return items.map(lambda made: sorted(made, key=_by_tick))
        case _:
            fields = {name: _meant(field, known) for name, field in schema["properties"].items()}
            needed = {name: fields.pop(name) for name in schema.get("required", ())}
            return st.fixed_dictionaries(needed, optional=fields)


def _by_tick(one: Any) -> float:
    first = one.get("tick", 0) if isinstance(one, dict) else one[0] if isinstance(one, tuple) else 0
    return first if isinstance(first, int | float) else 0


MESSAGES = (
    "903c40",
    "803c40",
    "a03c20",
    "b00150",
    "b0407f",
    "b04000",
    "c005",
    "d040",
    "e00050",
    "913c40",
    "e10060",
    "90",
)


@cache
def strokes_of(kind: str) -> st.SearchStrategy[dict[str, Any]]:
    """Strokes of a kind, mostly as they may be, now and then with something else in a field."""
    schema = KINDS[kind].model_json_schema()
    fields = {name: _meant(field, schema.get("$defs", {})) for name, field in schema["properties"].items()}
    fields["lane"] = st.just("cc:1") if "lane" in fields else st.nothing()
    always = {name: fields[name] for name in schema.get("required", ()) if name != "kind"}
    always |= {"kind": st.just(kind), "where": here}
    if "events" in always:
        always["events"] = st.lists(st.tuples(st.integers(0, 5000), st.sampled_from(MESSAGES)), max_size=12)
    rest = {name: field for name, field in fields.items() if name not in always and not field.is_empty}
    meant = st.fixed_dictionaries(always, optional=rest)
    other = st.one_of(
        st.tuples(st.sampled_from(sorted(schema["properties"])), scraps), st.tuples(st.just("where"), wheres)
    )
    return st.one_of(meant, meant, meant, st.tuples(meant, other).map(lambda made: {**made[0], made[1][0]: made[1][1]}))
