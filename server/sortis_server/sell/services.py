"""Sell units: each step checks the one before, and two people never sell one unit."""

from collections.abc import Sequence
from datetime import date

from django.db import IntegrityError, transaction
from django.utils import timezone

from sortis_core.aging import AgeStep, aged
from sortis_core.filling import Wanted, require_fitting
from sortis_core.findings import Findings
from sortis_core.intake.manifest.verdicts import normal_form
from sortis_core.papers import SoldUnit
from sortis_core.selling import (
    OnShelf,
    SaleRefused,
    SaleState,
    after_return,
    agreed_price,
    came_back,
    require_cancellable,
    require_free,
    require_packed,
    require_right_unit,
    return_reason,
)
from sortis_core.stages import Stage
from sortis_core.standards import Standard
from sortis_server.arrive.models import Unit
from sortis_server.arrive.services import unit_coded
from sortis_server.decide.models import CustomerOrder
from sortis_server.inspect.findings import newest_findings
from sortis_server.inspect.models import Photo
from sortis_server.inspect.services import findings_of, policy_of, save_findings, sheet_of
from sortis_server.people.models import Person
from sortis_server.problems import NotThere
from sortis_server.release.models import Release
from sortis_server.release.services import void_evidence
from sortis_server.sell.models import Sale, SaleStep
from sortis_server.sheets.services import sheet_version
from sortis_server.workshop.services import newest_standards, standard_version, workshop

LONGEST_NOTES = 200


def on_shelf(units: list[Unit] | None = None) -> list[OnShelf]:
    """Released units as they are sold, with their price now."""
    rows = Release.objects.filter(valid=True, unit__stage=Stage.RELEASED)
    if units is not None:
        rows = rows.filter(unit__in=units)
    rows = list(rows.select_related("unit__batch").order_by("unit__tag"))
    findings = newest_findings([row.unit for row in rows])
    open_sales = dict(
        Sale.objects.filter(open_unit__in=[row.unit for row in rows]).values_list("unit", "state")
    )
    first = Photo.objects.filter(unit__in=[row.unit for row in rows], shown=0, removed=False)
    pictures = dict(first.values_list("unit", "pk"))
    today, steps = timezone.now().date(), workshop().age_steps
    return [
        _on_shelf(
            row,
            findings[row.unit_id],
            open_sales.get(row.unit_id),
            pictures.get(row.unit_id),
            today,
            steps,
        )
        for row in rows
        if row.unit_id in findings
    ]


def _on_shelf(
    row: Release,
    found: Findings,
    state: SaleState | None,
    picture: int | None,
    today: date,
    steps: tuple[AgeStep, ...],
) -> OnShelf:
    unit = row.unit
    sheet = sheet_version(unit.sheet_key, unit.sheet_version)
    standard = standard_version(row.standard_key, row.standard_version)
    full = standard.sells_for(sheet, found, policy_of(unit))
    days = (today - row.at.date()).days
    price = None if full is None else aged(full, days, steps)
    return OnShelf(
        tag=unit.tag,
        model=sheet.name,
        sheet=sheet.key,
        standard=standard.name,
        standard_key=standard.key,
        rank=standard.rank,
        grade=found.grade,
        claims=tuple(row.label),
        price_cents=price.cents if price else None,
        price=price,
        days=days,
        picture=picture,
        state=state,
    )


def on_its_way() -> list[SoldUnit]:
    """Units that are reserved or packed, for whom, with what their labels claim."""
    sales = Sale.objects.filter(open_unit__isnull=False).select_related("unit").order_by("pk")
    claims = dict(
        Release.objects.filter(valid=True, unit__open_sale__isnull=False).values_list(
            "unit", "label"
        )
    )
    return [
        SoldUnit(
            tag=sale.unit.tag,
            model=sheet_version(sale.unit.sheet_key, sale.unit.sheet_version).name,
            claims=tuple(claims.get(sale.unit_id, ())),
            comes_with=sale.unit.comes_with,
            buyer=sale.buyer,
            state=sale.state,
        )
        for sale in sales
    ]


def newest_sale(unit: Unit) -> Sale | None:
    """The sale of a unit that began last, locked."""
    return unit.sales.select_for_update().order_by("-pk").first()


def _locked(tag: str) -> tuple[Unit, Sale | None]:
    unit = Unit.objects.select_for_update().get(tag=tag)
    return unit, newest_sale(unit)


def _step(sale: Sale, state: SaleState, by: Person, words: str = "") -> Sale:
    sale.state = state
    sale.save()
    SaleStep.objects.create(sale=sale, state=state, words=words[:200], by=by)
    return sale


def wanted_of(order: CustomerOrder, standards: Sequence[Standard]) -> Wanted:
    """A customer's order, with what is set aside for it or gone."""
    standard = next((one for one in standards if one.key == order.standard), None)
    going = [state for state in SaleState if state.open or state is SaleState.HANDED_OVER]
    return Wanted(
        customer=order.customer,
        standard=order.standard,
        standard_name=standard.name if standard else order.standard,
        rank=standard.rank if standard else 0,
        count=order.count,
        filled=order.sales.filter(state__in=going).count(),
        sheets=tuple(order.sheets),
    )


def fill(order_id: int, code: str, by: Person) -> Sale:
    """Set a unit aside for a customer's order, by the scan of its label.

    :raises NotThere: for an unknown order or code. :raises DoesNotFit: where it is not for it.
    """
    with transaction.atomic():
        order = CustomerOrder.objects.select_for_update().filter(pk=order_id).first()
        if order is None:
            raise NotThere("There is no such order of a customer.")
        unit = unit_coded(code.strip())
        if unit is None:
            raise NotThere(f"{code.strip()[:40] or 'Nothing'} is no unit here. Scan its label.")
        require_fitting(wanted_of(order, newest_standards()), unit.tag, on_shelf())
        return reserve(unit.tag, order.customer, order.price_cents, by, order)


def reserve(
    tag: str,
    buyer: str,
    price_cents: int | None,
    by: Person,
    order: CustomerOrder | None = None,
) -> Sale:
    """Somebody is to get the unit; nobody else can have it.

    :param price_cents: None for the price of the shelf. :param order: what it fills, if anything.
    :raises SaleRefused: where it is not to be had.
    """
    with transaction.atomic():
        unit, now = _locked(tag)
        require_free(tag, unit.stage, now.state if now else None)
        if not buyer.strip():
            raise SaleRefused("Say who is to get it.")
        shelf = on_shelf([unit])
        price = agreed_price(tag, price_cents, shelf[0].price_cents if shelf else None)
        sale = Sale(unit=unit, buyer=buyer.strip()[:120], price_cents=price, customer_order=order)
        try:
            with transaction.atomic():
                return _step(sale, SaleState.RESERVED, by, buyer.strip())
        except IntegrityError as error:
            raise SaleRefused(f"{tag} is reserved already. Somebody was faster.") from error


def pack(tag: str, scanned: str, by: Person) -> Sale:
    """The unit is packed; the scan of its label shows that it is the right one."""
    with transaction.atomic():
        unit, now = _locked(tag)
        coded = unit_coded(scanned.strip())
        # Another unit is told by its tag, however its code was typed.
        own = normal_form(scanned) == normal_form(unit.serial)
        code = scanned if own or coded is None else coded.tag
        require_right_unit(tag, unit.serial, code, now.state if now else None)
        return _step(now, SaleState.PACKED, by, f"scanned {scanned.strip()}")


def hand_over(tag: str, by: Person) -> Sale:
    """The unit left; the money is in."""
    with transaction.atomic():
        unit, now = _locked(tag)
        require_packed(tag, now.state if now else None)
        unit.stage = Stage.SOLD
        unit.save()
        return _step(now, SaleState.HANDED_OVER, by)


def cancel(tag: str, reason: str, by: Person) -> Sale:
    """Nobody is to get the unit any more; it is back on the shelf."""
    with transaction.atomic():
        _, now = _locked(tag)
        require_cancellable(tag, now.state if now else None)
        now.reason = reason.strip()[:200]
        return _step(now, SaleState.CANCELLED, by, reason)


def take_return(tag: str, reason: str, by: Person) -> Sale:
    """The unit came back: its label is void, and it is looked at again with its whole story."""
    with transaction.atomic():
        unit, now = _locked(tag)
        now_state = now.state if now else None
        words = return_reason(tag, now_state, reason)
        for row in unit.releases.filter(valid=True):
            row.take_back(by)
        void_evidence(unit, by)
        save_findings(unit, after_return(sheet_of(unit), findings_of(unit)), by, "return")
        unit.stage = Stage.INSPECT
        unit.back_for = came_back(words, LONGEST_NOTES)
        unit.save()
        now.reason = words[:200]
        return _step(now, SaleState.RETURNED, by, words)
