"""What one key did in the store, how it lay before, and how it goes back."""

from collections.abc import Iterable
from typing import Any

from django.apps import apps
from django.db import transaction
from django.db.models import Model
from django.dispatch import Signal

from sortis_core.takeback import StayedDone, StoreAct, require_untouched
from sortis_core.vocabulary.states import PurchaseState
from sortis_server.people.models import Person
from sortis_server.problems import NotThere, StaleVersion
from sortis_server.stock.models import Act, Lot, Purchase
from sortis_server.stock.services import StockRefused, move, promise, unpromise

parts_gone = Signal()
"""Parts that had come were taken back; ``kind`` is their row, ``since`` when they had come."""

FIELDS = {
    "reservation": ("lot_id", "purchase_id", "giver_id", "lost", "taken"),
    "purchase": ("lot_id", "state", "count", "reference"),
}


def begin_act(kind: StoreAct, words: str, by: Person, rows: Iterable[Model] = ()) -> Act:
    """Begin one act; ``rows`` are the reservations and purchases that it will change."""
    return Act.objects.create(kind=kind, words=words[:200], by=by, before=_fields_of(rows))


def end_act(act: Act) -> Act:
    """Note how the rows lie now."""
    act.after = _fields_of(_rows(act.before))
    act.save(update_fields=["after"])
    return act


def take_act_back(act_id: int, by: Person) -> Act:
    """Everything lies again as before the act; both stay on record.

    :raises NotThere: for an unknown act. :raises StayedDone: where something was built on it.
    """
    with transaction.atomic():
        act = Act.objects.select_for_update().filter(pk=act_id).first()
        if act is None:
            raise NotThere("Nothing of that number was done in the store.")
        if not act.valid:
            raise StayedDone(f"{act.words} was taken back already.")
        rows = _rows(act.before, lock=True)
        require_untouched(_fields_of(rows) == act.after, act.words)
        _back(act, rows, by)
        for erasure in act.erasures.filter(valid=True):
            erasure.take_back(by)
        act.take_back(by)
        return act


def _back(act: Act, rows: list[Model], by: Person) -> None:
    promises = [row for row in rows if row._meta.model_name == "reservation"]
    lots = {row.pk: row.lot for row in promises}
    for lot in lots.values():
        if lot:
            unpromise(lot)
    try:
        for moved in act.movements.select_related("lot__kind").order_by("-pk"):
            move(moved.lot, -moved.change, f"taken back: {act.kind}"[:120], by)
        for row in rows:
            for name, was in act.before[_key(row)].items():
                setattr(row, name, was)
            row.save()
        for row in promises:
            if row.lot_id:
                promise(row.lot_id)
    except (StockRefused, StaleVersion):
        require_untouched(False, act.words)
    came = act.movements.filter(change__gt=0).select_related("lot__kind")
    for kind in {moved.lot.kind for moved in came}:
        parts_gone.send(sender=Lot, kind=kind, since=act.at)


def _key(row: Model) -> str:
    return f"{row._meta.model_name} {row.pk}"


def _fields_of(rows: Iterable[Model]) -> dict[str, dict[str, Any]]:
    found = {}
    for row in rows:
        values = {name: getattr(row, name) for name in FIELDS[str(row._meta.model_name)]}
        if isinstance(values.get("state"), PurchaseState):
            values["state"] = values["state"].value
        found[_key(row)] = values
    return found


def _rows(noted: dict[str, dict], *, lock: bool = False) -> list[Model]:
    found: list[Model] = []
    for name, model in (
        ("purchase", Purchase),
        ("reservation", apps.get_model("orders", "Reservation")),
    ):
        keys = [int(key.split(" ")[1]) for key in noted if key.split(" ")[0] == name]
        rows = model.objects.filter(pk__in=keys).order_by("pk")
        found += list(rows.select_for_update() if lock else rows)
    return found
