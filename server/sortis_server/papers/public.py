"""The page that the code on a label opens: read-only, light, nothing internal, no log-in."""

import html
import json
import re
import time
from collections.abc import Sequence

from django.core.cache import cache
from django.http import HttpRequest, HttpResponse, JsonResponse

from sortis_core.papers import in_structured_data, spec_sheet
from sortis_core.pictures import ShownPicture
from sortis_server.inspect.models import Photo
from sortis_server.papers.services import released_unit
from sortis_server.release.address import address_of
from sortis_server.release.models import Release
from sortis_server.release.pictures import shown_of
from sortis_server.workshop.services import workshop

KEY = re.compile(r"[A-Za-z0-9_-]{16,40}")
MOST_A_MINUTE = 60
"""Pages that one address may open in a minute."""
MOST_PICTURES = 600
"""Pictures that it may."""


def _throttled(request: HttpRequest, what: str, most: int) -> bool:
    name = f"{what}-{request.META.get('REMOTE_ADDR', '')}-{int(time.time() // 60)}"
    cache.add(name, 0, 120)
    return cache.incr(name) > most


def _none(request: HttpRequest) -> HttpResponse:
    """The same answer whatever is not there: nothing is learnt from it."""
    answer = HttpResponse("There is no such page.", status=404, content_type="text/plain")
    answer["X-Robots-Tag"] = "noindex"
    return answer


def public_page(request: HttpRequest, key: str) -> HttpResponse:
    """The buyer's page of one unit, or the same as JSON."""
    if _throttled(request, "public", MOST_A_MINUTE):
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
    shown = () if unit.void else shown_of(release.unit)
    images = [f"{address}/{n}.jpg" for n, _ in enumerate(shown, start=1)] if address else []
    data = in_structured_data(unit, paper, address, workshop().name, images)
    if as_json:
        answer = JsonResponse(data)
    else:
        drawn = _html(paper, data, _pictures(key, shown))
        answer = HttpResponse(drawn, content_type="text/html; charset=utf-8")
    answer["X-Robots-Tag"] = "noindex"
    answer["Referrer-Policy"] = "no-referrer"
    answer["Cache-Control"] = "no-store"
    return answer


def public_picture(request: HttpRequest, key: str, place: int) -> HttpResponse:
    """One of the pictures on a buyer's page, by its place there."""
    if _throttled(request, "picture", MOST_PICTURES):
        return HttpResponse("Too many at once; wait a minute.", status=429)
    if request.method not in ("GET", "HEAD") or not KEY.fullmatch(key):
        return _none(request)
    release = Release.objects.select_related("unit").filter(public_key=key, valid=True).first()
    shown = shown_of(release.unit) if release and workshop().public_pages else ()
    if not 1 <= place <= len(shown):
        return _none(request)
    photo = Photo.objects.get(pk=shown[place - 1].number)
    answer = HttpResponse(bytes(photo.data), content_type="image/jpeg")
    answer["X-Robots-Tag"] = "noindex"
    answer["Cache-Control"] = "private, max-age=300"
    return answer


def _pictures(key: str, shown: Sequence[ShownPicture]) -> str:
    """Each picture with its marks numbered on it; what they are stands in the text."""
    say, number, drawn = html.escape, 0, []
    sizes = Photo.objects.defer("data").in_bulk([one.number for one in shown])
    for place, one in enumerate(shown, start=1):
        photo = sizes[one.number]
        dots = []
        for mark in one.marks:
            number += 1
            x, y, r = mark.x * photo.width, mark.y * photo.height, photo.width / 36
            dots.append(
                f'<circle cx="{x:.0f}" cy="{y:.0f}" r="{r:.0f}" class="mark"/>'
                f'<text x="{x:.0f}" y="{y + r * 0.42:.0f}" font-size="{r * 1.25:.0f}" '
                f'text-anchor="middle" class="number">{number}</text>'
            )
        marks = "; ".join(mark.words for mark in one.marks)
        words = say(", ".join(filter(None, [one.words or f"View {place}", marks])))
        drawn.append(
            f'<figure><svg viewBox="0 0 {photo.width} {photo.height}" role="img" '
            f'aria-label="{words}"><image href="/p/{key}/{place}.jpg" width="{photo.width}" '
            f'height="{photo.height}"/>{"".join(dots)}</svg>'
            f"<figcaption>{say(one.words)}</figcaption></figure>"
        )
    return "".join(drawn)


def _html(paper, data: dict, pictures: str) -> str:
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
        f'<h1>{say(paper.title)}</h1><p class="q">{say(paper.subtitle)}</p>{pictures}{parts}'
        f'<p class="q">{say(paper.foot)}</p></main></body></html>'
    )
