"""The API, and one page for everything else."""

from django.conf import settings
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.urls import path, re_path
from django.utils.http import urlencode

from sortis_server.api import alive, api, nowhere
from sortis_server.metrics import metrics
from sortis_server.papers.public import public_page, public_picture
from sortis_server.problems import unforeseen

OPEN_PAGES = ("/sign-in", "/start", "/join")
"""Pages for people who are not signed in."""


def page(request: HttpRequest) -> HttpResponse:
    """The application's page; people who are not signed in are sent to sign in."""
    if not request.user.is_authenticated and request.path not in OPEN_PAGES:
        return HttpResponseRedirect("/sign-in?" + urlencode({"next": request.get_full_path()}))
    answer = HttpResponse((settings.WEB / "index.html").read_bytes())
    answer["Cache-Control"] = "no-cache"
    return answer


handler500 = unforeseen

urlpatterns = [
    path("alive", alive),
    path("metrics", metrics),
    path("p/<str:key>", public_page),
    path("p/<str:key>/<int:place>.jpg", public_picture),
    path("api/", api.urls),
    re_path(r"^api/.*$", nowhere),
    re_path(r"^(?!api/|assets/|static/).*$", page),
]
