"""JSON as the API writes it."""

from typing import Any

import orjson


def encode(data: Any) -> bytes:
    """JSON of plain data; whole numbers as keys (parts, pitches) become strings, as JSON has no others."""
    return orjson.dumps(data, default=str, option=orjson.OPT_NON_STR_KEYS)
