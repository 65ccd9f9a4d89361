"""JSON as the API writes it."""

import orjson
from pydantic import BaseModel


def encode(data: object) -> bytes:
    """JSON of plain data; whole numbers as keys (parts, pitches) become strings, as JSON has no others."""
    return orjson.dumps(data, default=_plain, option=orjson.OPT_NON_STR_KEYS)


def _plain(value: object) -> object:
    """What orjson does not know: strokes and other models within an answer, and what has a text of its own."""
    return value.model_dump(mode="json") if isinstance(value, BaseModel) else str(value)
