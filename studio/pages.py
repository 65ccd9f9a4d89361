"""Pages: all of them are the one that React draws, for those who are signed in."""

from uuid import UUID

from django.conf import settings
from django.contrib.auth import get_user_model, login, logout
from django.contrib.auth.decorators import login_required
from django.core import signing
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET, require_POST

LINK_SALT, LINK_SECONDS = "lull.enter", 12 * 60 * 60


def link_token(user_id: int) -> str:
    """The last piece of a link that signs a user in for the next twelve hours."""
    return signing.dumps(user_id, salt=LINK_SALT)


@require_GET
def enter(request: HttpRequest, token: str) -> HttpResponse:
    """Sign in by link."""
    try:
        user_id = signing.loads(token, salt=LINK_SALT, max_age=LINK_SECONDS)
        user = get_user_model().objects.get(pk=user_id, is_active=True)
    except (signing.BadSignature, get_user_model().DoesNotExist):
        return HttpResponseRedirect("/sign-in?expired=1")
    login(request, user, backend="django.contrib.auth.backends.ModelBackend")
    return HttpResponseRedirect("/")


@ensure_csrf_cookie
def sign_in(request: HttpRequest) -> HttpResponse:
    """The sign-in page."""
    return _page()


@require_POST
def sign_out(request: HttpRequest) -> HttpResponse:
    """Sign out."""
    logout(request)
    return HttpResponseRedirect("/sign-in")


@login_required
@ensure_csrf_cookie
def page(request: HttpRequest, take_id: UUID | None = None) -> HttpResponse:
    """Library and desk; the browser asks the API whether there is such a take."""
    return _page()


def _page() -> HttpResponse:
    built = settings.STATIC_ROOT / "index.html"
    if not built.exists():
        return HttpResponse("The front end is not built yet. Run ./lull demo.", status=503, content_type="text/plain")
    response = HttpResponse(built.read_bytes())
    response["Cache-Control"] = "no-cache"
    return response
