"""An application that tells how it was asked, to stand behind a proxy in tests."""

import json
from collections.abc import Callable, Iterable
from typing import Any


def application(asked: dict[str, Any], begin: Callable[[str, list[tuple[str, str]]], object]) -> Iterable[bytes]:
    """How many bytes came, by what scheme, from whom, for which host."""
    count = sum(map(len, iter(lambda: asked["wsgi.input"].read(2**20), b"")))
    told = {
        "bytes": count,
        "scheme": asked["wsgi.url_scheme"],
        "from": asked["REMOTE_ADDR"],
        "host": asked["HTTP_HOST"],
        "path": asked["PATH_INFO"],
    }
    begin("200 OK", [("Content-Type", "application/json")])
    return [json.dumps(told).encode()]
