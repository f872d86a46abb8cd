"""Lists of units with what was found in them."""

import csv
import io
import json

from django.http import HttpRequest, HttpResponse
from ninja import File, Router
from ninja.files import UploadedFile

from sortis_core.configuration import Aspect
from sortis_core.rights import Money
from sortis_core.strip import Strip
from sortis_core.vocabulary.states import Role
from sortis_server.arrive.services import batch_called
from sortis_server.arrive.views import unit_lines
from sortis_server.inspect.batch_file import (
    BatchFileRefused,
    Taken,
    batch_file,
    read_batch_file,
    take_batch_file,
)
from sortis_server.inspect.findings import configurations_of, strips_of
from sortis_server.people.roles import by, signed_in
from sortis_server.spreadsheet import plain
from sortis_server.workshop.money import Seeing

router = Router(tags=["inspect"])
MOST_STRIPS = 200


@router.get("/batches/{slug}/strips", response=dict[str, Strip])
def strips(request: HttpRequest, slug: str, tags: str):
    """The strips of some units of a batch, by tag; a list asks for those it shows."""
    wanted = tags.split(",")[:MOST_STRIPS]
    units = batch_called(slug).units.filter(tag__in=wanted)
    return strips_of(list(units))


@router.get("/batches/{slug}/batch.json", auth=Seeing(Money.RESULTS, "The file of a batch"))
def batch_out(request: HttpRequest, slug: str):
    """The batch with all its units and findings as one document."""
    batch = batch_called(slug)
    answer = HttpResponse(
        batch_file(batch).model_dump_json(indent=1), content_type="application/json"
    )
    answer["Content-Disposition"] = f'attachment; filename="{batch.slug}.json"'
    return answer


@router.post("/batch-files", response=Taken, auth=by(Role.RECEIVER, "Taking a batch in"))
def batch_in(request: HttpRequest, file: File[UploadedFile]):
    """Take a batch in with what was found on its units, all or nothing."""
    person = signed_in(request)
    try:
        document = json.loads(file.read())
    except (ValueError, RecursionError) as error:
        raise BatchFileRefused("This is no JSON, or it is cut off. Send it again.") from error
    return take_batch_file(read_batch_file(document), person)


@router.get("/batches/{slug}/units.csv")
def units_csv(request: HttpRequest, slug: str):
    """The batch as CSV; cells that a spreadsheet would run are made plain text."""
    batch = batch_called(slug)
    out = io.StringIO()
    writer = csv.writer(out)
    aspects = [aspect.label for aspect in Aspect]
    heads = ["tag", "serial", "model", "stage", "blocked", "contents", *aspects, "remarks", "notes"]
    writer.writerow(heads)
    units = list(batch.units.order_by("position"))
    drawn = strips_of(units)
    built = configurations_of(units)
    for line in unit_lines(units):
        cells = [line.tag, line.serial, line.model, line.stage]
        cells += ["yes" if line.blocked else "", drawn[line.tag].words]
        cells += [*built[line.tag], line.notes]
        writer.writerow(map(plain, cells))
    answer = HttpResponse("\ufeff" + out.getvalue(), content_type="text/csv; charset=utf-8")
    answer["Content-Disposition"] = f'attachment; filename="{batch.slug}.csv"'
    return answer
