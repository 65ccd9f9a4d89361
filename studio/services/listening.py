"""Messages for the practice synth: the same bytes that the file would hold."""

import base64
from typing import Any

import numpy as np

from expression.midi.emit import listen, message_bytes, stream
from studio.models import Take
from studio.services.folding import shaped


def messages(take: Take, start: float, end: float, chase: bool, before: int | None) -> dict[str, Any]:
    """Messages from `start` to `end` seconds of the take as it is, or as it was before a stroke (0: the newest)."""
    known = shaped(take.pk, take.revision)
    if before is None:
        take_heard = known.now.take
    else:
        take_heard = known.before_stroke(before) if before else known.before
    heard = listen(stream(take_heard), start, end, chase)
    return {
        "revision": take.revision,
        "seconds": np.round(heard.seconds, 5).tolist(),
        "parts": heard.part.tolist(),
        "bytes": base64.b64encode(message_bytes(heard)).decode(),
    }
