"""The whole API: one router a stage, refusals as problem details, everything behind log-in."""

from django.db import connection
from django.http import HttpRequest, JsonResponse
from ninja.security import django_auth

from sortis_server.arrive.api import router as arrive
from sortis_server.arrive.count_api import router as count
from sortis_server.arrive.manifest_api import router as manifests
from sortis_server.codes import router as codes
from sortis_server.day.api import router as day
from sortis_server.day.today import router as today
from sortis_server.decide.api import router as decide
from sortis_server.fit.api import router as fit
from sortis_server.furnish.api import router as furnish
from sortis_server.furnish.kinds_api import router as kinds
from sortis_server.inspect.api import router as inspect
from sortis_server.inspect.bench_api import router as bench
from sortis_server.inspect.lists_api import router as lists
from sortis_server.live.api import router as live
from sortis_server.papers.api import router as papers
from sortis_server.people.api import router as people
from sortis_server.people.manage_api import router as manage
from sortis_server.problems import SortisAPI, answer_problems, problem
from sortis_server.release.api import router as release
from sortis_server.sell.api import router as sell
from sortis_server.sheetwork.api import router as sheets
from sortis_server.stock.api import router as stock
from sortis_server.story.api import router as story
from sortis_server.vocabulary_api import router as words
from sortis_server.workshop.api import router as workshop

api = SortisAPI(title="Sortis", version="1", auth=django_auth, docs_url=None)
answer_problems(api)
api.add_router("/session", people)
api.add_router("/vocabulary", words)
api.add_router("/workshop", workshop)
api.add_router("/furnish", furnish)
api.add_router("/furnish", kinds)
api.add_router("/people", manage)
api.add_router("/codes", codes)
api.add_router("/units", inspect)
api.add_router("/units", bench)
api.add_router("/units", release)
api.add_router("/units", story)
api.add_router("/batches", decide)
api.add_router("/stock", stock)
api.add_router("/sheets", sheets)
api.add_router("", arrive)
api.add_router("", lists)
api.add_router("", manifests)
api.add_router("", count)
api.add_router("", fit)
api.add_router("", day)
api.add_router("", today)
api.add_router("", papers)
api.add_router("", sell)
api.add_router("", live)


def nowhere(request: HttpRequest) -> JsonResponse:
    """An address of the API that there is not."""
    return problem(404, "Not found", f"The API has no {request.method} {request.path}.")


def alive(request: HttpRequest) -> JsonResponse:
    """Whether application and database answer."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT 1")
    return JsonResponse({"alive": True})
