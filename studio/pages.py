"""Pages: all of them are the one that React draws, for those who are signed in."""

from uuid import UUID

from django.conf import settings
from django.contrib.auth import logout
from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_POST

from studio.error_responses import problem


@ensure_csrf_cookie
def enter(request: HttpRequest, token: str) -> HttpResponse:
    """The page that a link leads to. Only what it then asks signs in: to look at an address changes nothing."""
    return _page()


@ensure_csrf_cookie
def invited(request: HttpRequest, token: str) -> HttpResponse:
    """The page that a link of a mail leads to, as an invitation's. Only what it then asks changes anything."""
    return _page()


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


@login_required
@ensure_csrf_cookie
def guide(request: HttpRequest, page: str = "", example: str = "") -> HttpResponse:
    """The guide, and what leads from it to a take; the browser knows its pages."""
    return _page()


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    """There is nothing at this address: told in Lull's own look, where a page was asked for."""
    page = _page()
    if page.status_code != 200 or request.path.startswith(("/api/", "/static/")):
        return problem(request, 404)
    page.status_code = 404
    return page


def _page() -> HttpResponse:
    built = settings.STATIC_ROOT / "index.html"
    if not built.exists():
        return HttpResponse("The front end is not built yet. Run ./lull demo.", status=503, content_type="text/plain")
    response = HttpResponse(built.read_bytes())
    response["Cache-Control"] = "no-cache"
    return response
