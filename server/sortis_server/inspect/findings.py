"""The newest findings of units, and their strips."""

import json
from functools import lru_cache

from django.db.models import TextField
from django.db.models.functions import Cast

from sortis_core.configuration import Aspect
from sortis_core.documents import read_document
from sortis_core.facts.configuration import built_with, value_label
from sortis_core.findings import Findings
from sortis_core.strip import Strip, draw_strip
from sortis_server.arrive.models import Unit
from sortis_server.inspect.models import Inspection
from sortis_server.sheets.services import sheet_version
from sortis_server.workshop.services import newest_standards


def newest_findings(units: list[Unit]) -> dict[int, Findings]:
    """Unit id -> newest findings, in one query; units without any are left out."""
    wanted = {unit.pk: unit.inspection_number for unit in units if unit.inspection_number}
    rows = Inspection.objects.filter(
        unit_id__in=wanted, number__in=set(wanted.values())
    ).values_list("unit_id", "number", Cast("findings", TextField()))
    return {
        unit: _read_findings(findings) for unit, number, findings in rows if wanted[unit] == number
    }


@lru_cache(maxsize=2048)
def _read_findings(written: str) -> Findings:
    """As they are stored; a dial reads those of its batch again and again."""
    return read_document(Findings, json.loads(written))


def blank_findings(unit: Unit) -> Findings:
    """Nothing looked at yet, in the sheet's first trim."""
    sheet = sheet_version(unit.sheet_key, unit.sheet_version)
    return Findings(sheet=unit.sheet_key, trim=sheet.trims[0].key)


def strips_of(units: list[Unit]) -> dict[str, Strip]:
    """The strips of units by tag; the number of queries does not grow with them."""
    found = newest_findings(units)
    standards = newest_standards()
    return {
        unit.tag: draw_strip(
            sheet_version(unit.sheet_key, unit.sheet_version),
            found.get(unit.pk) or blank_findings(unit),
            standards,
        )
        for unit in units
    }


def configurations_of(units: list[Unit]) -> dict[str, list[str]]:
    """What units are known to be built with, by tag: a word for each aspect, then their remarks."""
    found = newest_findings(units)
    told: dict[str, list[str]] = {}
    for unit in units:
        sheet = sheet_version(unit.sheet_key, unit.sheet_version)
        seen = found.get(unit.pk) or blank_findings(unit)
        codes = [(aspect, built_with(sheet, seen, aspect)) for aspect in Aspect]
        remarks = "; ".join(f"{sheet.label_of(key)} {how}" for key, how in seen.remarks.items())
        told[unit.tag] = [
            *[value_label(sheet, aspect, code) if code else "" for aspect, code in codes],
            remarks,
        ]
    return told
