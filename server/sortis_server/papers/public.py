"""The page that the code on a label opens: read-only, light, nothing internal, no log-in."""

import html
import json
import re
import time

from django.core.cache import cache
from django.http import HttpRequest, HttpResponse, JsonResponse

from sortis_core.papers import in_structured_data, spec_sheet
from sortis_server.papers.services import released_unit
from sortis_server.release.address import address_of
from sortis_server.release.models import Release
from sortis_server.workshop.services import workshop

KEY = re.compile(r"[A-Za-z0-9_-]{16,40}")
MOST_A_MINUTE = 60
"""Pages that one address may open in a minute."""


def _throttled(request: HttpRequest) -> bool:
    name = f"public-{request.META.get('REMOTE_ADDR', '')}-{int(time.time() // 60)}"
    cache.add(name, 0, 120)
    return cache.incr(name) > MOST_A_MINUTE


def _none(request: HttpRequest) -> HttpResponse:
    """The same answer whatever is not there: nothing is learnt from it."""
    answer = HttpResponse("There is no such page.", status=404, content_type="text/plain")
    answer["X-Robots-Tag"] = "noindex"
    return answer


def public_page(request: HttpRequest, key: str) -> HttpResponse:
    """The buyer's page of one unit, or the same as JSON."""
    if _throttled(request):
        return HttpResponse("Too many at once; wait a minute.", status=429)
    as_json = key.endswith(".json")
    key = key.removesuffix(".json")
    if request.method not in ("GET", "HEAD") or not KEY.fullmatch(key):
        return _none(request)
    if not workshop().public_pages:
        return _none(request)
    release = Release.objects.select_related("unit__batch", "by").filter(public_key=key).first()
    if release is None:
        return _none(request)
    unit = released_unit(release.unit, release)
    paper = spec_sheet(unit, workshop().name)
    address = address_of(release)
    data = in_structured_data(unit, paper, address, workshop().name)
    if as_json:
        answer = JsonResponse(data)
    else:
        answer = HttpResponse(_html(paper, data), content_type="text/html; charset=utf-8")
    answer["X-Robots-Tag"] = "noindex"
    answer["Referrer-Policy"] = "no-referrer"
    answer["Cache-Control"] = "no-store"
    return answer


def _html(paper, data: dict) -> str:
    say = html.escape
    parts = "".join(
        f"<h2>{say(part.heading)}</h2><dl>"
        + "".join(
            f"<div><dt>{say(line.label)}</dt><dd>{say(line.text)}</dd></div>" for line in part.lines
        )
        + "</dl>"
        for part in paper.parts
    )
    void = (
        '<p class="void" role="alert">VOID. This machine was drawn back after its label was '
        "printed. Ask whoever sold it.</p>"
        if paper.void
        else ""
    )
    told = json.dumps(data, ensure_ascii=False).replace("<", "\\u003c")
    return (
        '<!doctype html><html lang="en"><head><meta charset="utf-8">'
        '<meta name="viewport" content="width=device-width,initial-scale=1">'
        f"<title>{say(paper.title)} · {say(paper.subtitle)}</title>"
        '<link rel="stylesheet" href="/buyer.css">'
        f'<script type="application/ld+json">{told}</script></head><body><main>{void}'
        f'<h1>{say(paper.title)}</h1><p class="q">{say(paper.subtitle)}</p>{parts}'
        f'<p class="q">{say(paper.foot)}</p></main></body></html>'
    )
