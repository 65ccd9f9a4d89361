"""Who watches over a server: whether it lives and is ready, what it has answered and how long that took."""

import hmac
import logging
import math
import os
import time
from collections.abc import Callable
from pathlib import Path
from uuid import uuid4

from django.conf import settings
from django.db import connection
from django.db.utils import Error as DatabaseError
from django.http import HttpRequest, HttpResponse
from django.utils.cache import patch_vary_headers
from prometheus_client import (
    CONTENT_TYPE_LATEST,
    REGISTRY,
    CollectorRegistry,
    Counter,
    Gauge,
    Histogram,
    generate_latest,
)
from prometheus_client.multiprocess import MultiProcessCollector

from expression.limits import MIB
from studio.services import spool
from studio.services.folding import cache

Answer = Callable[[HttpRequest], HttpResponse]
log = logging.getLogger("lull.requests")

ANSWERS = Counter("lull_answers", "Requests answered.", ("kind", "status"))
SECONDS = Histogram(
    "lull_answer_seconds",
    "Seconds to an answer.",
    ("kind",),
    buckets=(0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 10, 60),
)
SHAPED = Gauge("lull_shaped_takes", "Takes that are kept shaped in memory.", multiprocess_mode="livesum")
SPOOL_FREE = Gauge("lull_spool_free_bytes", "Bytes free where files wait.", multiprocess_mode="mostrecent")
SPOOL_WAITING = Gauge("lull_spool_bytes", "Bytes of files that wait.", multiprocess_mode="mostrecent")
SPOOL_WRITABLE = Gauge("lull_spool_writable", "Whether files can be kept (1) or not.", multiprocess_mode="mostrecent")
SHAPED_BYTES = Gauge("lull_shaped_bytes", "Bytes that these take.", multiprocess_mode="livesum")


class Watched:
    """Answers probes before all else, and writes down every other request: time, id, account and duration."""

    def __init__(self, get_response: Answer) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer the request."""
        if probe := PROBES.get(request.path):
            return probe(request)
        name = uuid4().hex[:12]
        begun = time.perf_counter()
        answer = self._get_response(request)
        taken = time.perf_counter() - begun
        answer["X-Request-ID"] = name
        kind = _kind(request.path)
        ANSWERS.labels(kind, str(answer.status_code)).inc()
        SECONDS.labels(kind).observe(taken)
        takes, held = cache.held()
        SHAPED.set(takes)
        SHAPED_BYTES.set(held)
        # Known only where the answer has asked for it: nobody is looked up to be written down.
        user = getattr(request, "_cached_user", None)
        account = user.pk if user is not None and user.is_authenticated else None
        log.info(
            "%s %s %s %d %.0f ms account=%s",
            name, request.method, _shown(request.path), answer.status_code,
            taken * 1000, account or "-",
        )  # fmt: skip
        return answer


def _shown(path: str) -> str:
    """A path as it is written down: what signs somebody in, or lets somebody in, is not."""
    for secret in ("/enter/", "/invited/", "/confirm/"):
        if path.startswith(secret):
            return f"{secret}…".encode("unicode_escape").decode()
    return path[:200].encode("unicode_escape").decode()


def _kind(path: str) -> str:
    """What is asked for, in few words: no addresses of takes, of which there are many."""
    if path.startswith("/static/"):
        return "static"
    if not path.startswith("/api/"):
        return "page"
    last = path.rstrip("/").rsplit("/", 1)[-1]
    return last if last in ("preview", "strokes", "view", "messages", "page", "file", "facts") else "api"


def _health(_: HttpRequest) -> HttpResponse:
    return HttpResponse("alive\n", content_type="text/plain")


def _ready(_: HttpRequest) -> HttpResponse:
    """Whether the database answers, and the front end is built."""
    try:
        with connection.cursor() as cursor:
            cursor.execute("select 1 from django_migrations limit 1")
    except DatabaseError:
        return HttpResponse("the database does not answer\n", status=503, content_type="text/plain")
    if not (settings.STATIC_ROOT / "index.html").exists():
        return HttpResponse("the front end is not built\n", status=503, content_type="text/plain")
    kept = spool.state()
    told = _told_of(kept) if kept.is_writable else NOT_WRITABLE
    return HttpResponse(f"ready\nspool: {told}\n", content_type="text/plain")


def _told_of(kept: spool.State) -> str:
    if kept.free is None or kept.waiting is None:
        return "in a bucket, which answers"
    return f"{kept.free // MIB:,} MiB free, {kept.waiting // MIB:,} MiB wait"


NOT_WRITABLE = "it cannot be written to, so that no files are taken"


def _metrics(request: HttpRequest) -> HttpResponse:
    """For those alone who know the token: nothing is told to others, not even that there is something."""
    token = settings.METRICS_TOKEN
    given = request.headers.get("Authorization", "")
    if not token or not hmac.compare_digest(given.encode(), f"Bearer {token}".encode()):
        return HttpResponse(status=404)
    # Where several processes serve, each writes down its own, and whichever is asked tells of all.
    kept = spool.state()
    # Of a bucket nobody knows.
    SPOOL_FREE.set(math.nan if kept.free is None else kept.free)
    SPOOL_WAITING.set(math.nan if kept.waiting is None else kept.waiting)
    SPOOL_WRITABLE.set(kept.is_writable)
    registry = REGISTRY
    if folder := os.environ.get("PROMETHEUS_MULTIPROC_DIR"):
        _forget_the_gone(Path(folder))
        registry = CollectorRegistry()
        MultiProcessCollector(registry)  # type: ignore[no-untyped-call]
    return HttpResponse(generate_latest(registry), content_type=CONTENT_TYPE_LATEST)


def _forget_the_gone(folder: Path) -> None:
    """What a process that has gone had in memory is there no longer."""
    for file in folder.glob("gauge_live*_*.db"):
        if not Path("/proc", file.stem.rsplit("_", 1)[1]).exists():
            file.unlink(missing_ok=True)


PROBES: dict[str, Answer] = {"/health": _health, "/ready": _ready, "/metrics": _metrics}


class Guarded:
    """What a browser may do with an answer: nothing but what Lull itself serves is run or asked."""

    def __init__(self, get_response: Answer) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer the request."""
        answer = self._get_response(request)
        answer.setdefault("Content-Security-Policy", CONTENT_SECURITY)
        answer.setdefault("Permissions-Policy", PERMISSIONS)
        if request.path.startswith("/api/"):
            # What is an account's is kept by nobody on the way, and is not shown to the next who uses the browser.
            answer.setdefault("Cache-Control", "no-store")
            patch_vary_headers(answer, ("Cookie",))
        return answer


CONTENT_SECURITY = "; ".join(
    (
        "default-src 'none'",
        # The player of SoundFonts unpacks their samples by WebAssembly that ships with it.
        "script-src 'self' 'wasm-unsafe-eval'",
        # The engraver's drawings, and libraries that hold the page still under a dialog, bring styles with them.
        "style-src 'self' 'unsafe-inline'",
        "font-src 'self' data:",
        "img-src 'self' data: blob:",
        "media-src 'self' blob:",
        "connect-src 'self'",
        "worker-src 'self'",
        "form-action 'self'",
        "base-uri 'none'",
        "frame-ancestors 'none'",
    )
)
"""Content Security Policy, level 3: no script but those that ship, none of them inline."""
PERMISSIONS = ", ".join(
    [
        *(f"{name}=()" for name in ("camera", "geolocation", "microphone", "payment", "usb", "display-capture")),
        # Instruments are played into the page and by it, where the player lets them.
        "midi=(self)",
    ]
)
