"""The API's contract, without what it would say again and again."""

from typing import Any

from ninja import NinjaAPI
from ninja.openapi.schema import OpenAPISchema
from typing_extensions import override

from expression.documents import Document

PROBLEMS = range(400, 600)


class Contracted(NinjaAPI):
    """Ninja's API, whose OpenAPI document says each answer of refusal once, and no title that is the name once more."""

    @override
    def get_openapi_schema(
        self, *, path_prefix: str | None = None, path_params: Document | None = None
    ) -> OpenAPISchema:
        """The document."""
        schema = super().get_openapi_schema(path_prefix=path_prefix, path_params=path_params)
        _untitle(schema["components"])
        _untitle(schema["paths"])
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


def _named(shared: Document, answer: Document) -> Document:
    """An answer among those that are shared, and what refers to it."""
    body = answer.get("content", {}).get("application/json", {}).get("schema", {}).get("$ref", "")
    name = f"{answer['description'].replace(' ', '')}{body.rpartition('/')[2]}"
    shared[name] = answer
    return {"$ref": f"#/components/responses/{name}"}
