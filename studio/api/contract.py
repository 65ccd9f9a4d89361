"""The API's contract, without what it would say again and again."""

import json
from typing import Any

from ninja import NinjaAPI
from ninja.openapi.schema import OpenAPISchema
from typing_extensions import override

from expression.documents import Document

PROBLEMS = range(400, 600)
MOST_TWICE = 2
"""A field that more models say in the same words stands once."""


class Contracted(NinjaAPI):
    """Ninja's API, whose OpenAPI document says each answer of refusal once, a field of many models once, and no title
    that is the name once more.
    """

    @override
    def get_openapi_schema(
        self, *, path_prefix: str | None = None, path_params: Document | None = None
    ) -> OpenAPISchema:
        """The document."""
        schema = super().get_openapi_schema(path_prefix=path_prefix, path_params=path_params)
        _untitle(schema["components"])
        _untitle(schema["paths"])
        _share_fields(schema["components"]["schemas"])
        shared: Document = {}
        for path in schema["paths"].values():
            for operation in path.values():
                answers = operation["responses"]
                for status in PROBLEMS:
                    if status in answers:
                        answers[status] = _named(shared, answers[status])
        schema["components"]["responses"] = shared
        return schema


def _untitle(node: Any) -> None:
    """Take away titles that pydantic makes of a field's name; a field that is called so is an object."""
    if isinstance(node, dict):
        if isinstance(node.get("title"), str):
            del node["title"]
        for inner in node.values():
            _untitle(inner)
    elif isinstance(node, list):
        for inner in node:
            _untitle(inner)


def _share_fields(schemas: Document) -> None:
    """Let fields that many models say in the same words refer to one place.

    (One with a default stays where it is: what is made of the document looks for defaults beside the names of fields.)
    """
    places: dict[tuple[str, str], list[Document]] = {}
    for model in schemas.values():
        for name, field in model.get("properties", {}).items():
            if "description" in field and "default" not in field:
                places.setdefault((name, json.dumps(field, sort_keys=True)), []).append(model["properties"])
    for (name, _), models in sorted(places.items()):
        if len(models) > MOST_TWICE:
            whole = "".join(word.capitalize() for word in name.split("_"))
            taken = sum(key.startswith(f"{whole}Field") for key in schemas)
            schemas[key := f"{whole}Field{taken + 1 if taken else ''}"] = models[0][name]
            for fields in models:
                fields[name] = {"$ref": f"#/components/schemas/{key}"}


def _named(shared: Document, answer: Document) -> Document:
    """An answer among those that are shared, and what refers to it."""
    body = answer.get("content", {}).get("application/json", {}).get("schema", {}).get("$ref", "")
    name = f"{answer['description'].replace(' ', '')}{body.rpartition('/')[2]}"
    shared[name] = answer
    return {"$ref": f"#/components/responses/{name}"}
