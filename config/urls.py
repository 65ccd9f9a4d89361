"""All addresses: the API, signing in, and the one page that React draws."""

from django.conf import settings
from django.urls import path

from studio import pages
from studio.api import api

urlpatterns = [
    path("api/", api.urls),
    path("enter/<str:token>", pages.enter),
    path("invited/<str:token>", pages.invited),
    path("confirm/<str:token>", pages.invited),
    path("sign-in", pages.sign_in),
    path("sign-out", pages.sign_out),
    path("", pages.page),
    path("takes/<uuid:take_id>", pages.page),
    path("guide", pages.guide),
    path("guide/<slug:page>", pages.guide),
    path("show/<slug:example>", pages.guide),
]
if settings.ADMIN:
    from django.contrib import admin

    urlpatterns.append(path(f"{settings.ADMIN}/", admin.site.urls))
handler400, handler404, handler500 = (
    "studio.error_responses.malformed",
    "studio.pages.not_found",
    "studio.error_responses.failed",
)
