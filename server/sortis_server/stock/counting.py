"""The storekeeper's hand: receive, count, correct, scrap, settle what waits for test or wiping."""

from collections.abc import Mapping, Sequence

from django.db import transaction
from django.db.models import Max

from sortis_core.base import listed
from sortis_core.codes import numbered_code
from sortis_core.counting import Difference, LotInRound, differences
from sortis_core.reasons import says_something
from sortis_core.stock import Condition, DriveEnd, condition_received
from sortis_core.takeback import StoreAct
from sortis_core.vocabulary.states import CodeKind, PurchaseState
from sortis_server.people.models import Person
from sortis_server.problems import NotThere
from sortis_server.stock.acts import begin_act, end_act
from sortis_server.stock.erasures import keep_reports, serials_seen
from sortis_server.stock.models import Act, Lot, Movement, Purchase
from sortis_server.stock.services import (
    StockRefused,
    lot_code,
    move,
    new_lot,
    parts_arrived,
    promise,
    promise_lost,
    unpromise,
)
from sortis_server.workshop.models import PartKindRow
from sortis_server.workshop.services import part_kind


def receive_parts(
    kind: str,
    condition: Condition,
    place: str,
    count: int,
    unit_cost_cents: int,
    words: str,
    by: Person,
) -> tuple[Lot, Act]:
    """Book parts in that no purchase brought: a gift, a find, a first count.

    :returns: the lot they lie in, and the act to take it back by.

    :raises NotThere: for an unknown kind.
    """
    row = PartKindRow.objects.filter(key=kind).first()
    if row is None:
        raise NotThere(f"The store has no part kind {kind}. Choose one of the list, or add it.")
    state = condition_received(part_kind(row), condition)
    with transaction.atomic():
        lot = new_lot(row, state, place.strip(), unit_cost_cents)
        act = begin_act(StoreAct.RECEIVED, f"{count} × {part_kind(row).label}", by)
        move(lot, count, words.strip() or "received", by, act=act)
        if state.usable:
            parts_arrived.send(sender=Lot, kind=row)
        end_act(act)
    return Lot.objects.select_related("kind").get(pk=lot.pk), act


def count_lot(lot_id: int, counted: int, words: str, by: Person) -> tuple[Lot, Act | None]:
    """Set a lot right after a count; the difference is a movement with its reason.

    :returns: the lot, and the act to take it back by; none where the books were right.

    :raises StockRefused: without a reason, or where more is promised than was counted.
    """
    with transaction.atomic():
        lot = locked_lot(lot_id)
        if counted == lot.on_hand:
            return lot, None
        if not says_something(words):
            raise StockRefused(
                f"The books say {lot.on_hand}, you counted {counted}. Say in a few words why."
            )
        if counted < lot.promised:
            raise StockRefused(
                f"{lot.promised} of this lot are promised to {_promised_to(lot)}; {counted} cannot "
                "be all. Stop one of these orders first, so that it is planned again, or look "
                "again."
            )
        more = counted - lot.on_hand
        act = begin_act(StoreAct.COUNTED, f"{part_kind(lot.kind).label} at {lot.place}", by)
        move(lot, more, f"counted: {words.strip()}"[:120], by, act=act)
        if more > 0 and lot.condition.usable:
            parts_arrived.send(sender=Lot, kind=lot.kind)
        end_act(act)
    return Lot.objects.select_related("kind").get(pk=lot_id), act


def keep_round(
    counted: Mapping[int, tuple[int, int]], by: Person
) -> tuple[tuple[Difference, ...], Act | None]:
    """Set right what a counting round found, all of it in one act.

    :param counted: lot -> (how many, number of the last movement when it was laid open).
    :returns: the lots whose books were wrong, and the act; none where all were right.
    :raises RoundRefused: where it cannot be kept as it was counted. :raises NotThere: for a lot
        that is none.
    """
    with transaction.atomic():
        # In one order everywhere, so that two rounds wait for each other instead of both.
        rows = {
            row.pk: row
            for row in Lot.objects.select_for_update()
            .prefetch_related("kind")
            .filter(pk__in=counted)
            .order_by("pk")
        }
        if unknown := sorted(set(counted) - set(rows)):
            raise NotThere(f"{numbered_code(CodeKind.LOT, unknown[0])} is no lot of this store.")
        last = last_movements(list(rows))
        found = differences(
            [
                LotInRound(
                    lot=pk,
                    code=lot_code(row),
                    label=part_kind(row.kind).label,
                    place=row.place,
                    counted=counted[pk][0],
                    on_hand=row.on_hand,
                    promised=row.promised,
                    moved_since=last.get(pk, 0) != counted[pk][1],
                )
                for pk, row in rows.items()
            ]
        )
        if not found:
            return found, None
        act = begin_act(StoreAct.COUNTED, f"{len(found)} lots, a counting round", by)
        for one in found:
            row = rows[one.lot]
            words = f"counting round: {one.counted} instead of {one.books}"
            move(row, one.more, words, by, act=act)
            if one.more > 0 and row.condition.usable:
                parts_arrived.send(sender=Lot, kind=row.kind)
        end_act(act)
    return found, act


def last_movements(lots: list[int]) -> dict[int, int]:
    """Number of the newest movement of each lot."""
    rows = Movement.objects.filter(lot__in=lots).values("lot").annotate(last=Max("pk"))
    return {row["lot"]: row["last"] for row in rows}


def settle_lot(
    lot_id: int,
    good: int,
    bad: int,
    words: str,
    place: str,
    by: Person,
    reports: Sequence[str] = (),
    drive_end: DriveEnd | None = None,
) -> tuple[Lot, Act]:
    """Parts that waited were tried or wiped: the good ones become usable, the bad ones go.

    Promises go along with the good ones, in tag order. An order that gets none back loses its
    promise; its step then says so, and it can be planned again.

    :param reports: of the eraser, one for each good drive; else ``words`` say how.
    :param drive_end: how drives that were not sanitised left.
    :returns: the lot that the good parts lie in, and the act to take it back by.
    :raises StockRefused: where the lot does not wait, the counts do not fit, a wiped drive has no
        record of how, or one that left no word of where to.
    :raises ReportRefused: where a report is none, of another drive, or was given before.
    """
    with transaction.atomic():
        lot = locked_lot(lot_id)
        if lot.condition.usable:
            raise StockRefused(f"{lot.kind.key} at {lot.place} waits for nothing.")
        if good < 0 or bad < 0 or not 0 < good + bad <= lot.on_hand:
            raise StockRefused(f"There are {lot.on_hand} in this lot; {good} and {bad} do not fit.")
        wiped = lot.condition == Condition.AWAITING_SANITISING
        if reports and not wiped:
            raise StockRefused("Only drives that wait to be sanitised take a report of an eraser.")
        if wiped and good and not reports and not says_something(words):
            raise StockRefused("Say how the drive was sanitised, by which method and who saw it.")
        if wiped and bad and drive_end is None:
            raise StockRefused(
                f"Say how the drive left: {listed([end.label for end in DriveEnd], 'or')}."
            )
        if wiped and bad and drive_end and not says_something(words):
            raise StockRefused(drive_end.asks)
        verb = "sanitised" if wiped else "tried"
        waiting = list(
            lot.reservation_set.select_for_update().filter(taken=False).order_by("order__unit__tag")
        )
        act = begin_act(
            StoreAct.SETTLED, f"{good + bad} × {part_kind(lot.kind).label}", by, waiting
        )
        if reports:
            known = serials_seen(lot.out_of) if lot.out_of else ()
            words = keep_reports(reports, good, by, lot=lot, act=act, known=known)
        usable = new_lot(
            lot.kind,
            Condition.HARVESTED_TESTED,
            place.strip() or lot.place,
            lot.unit_cost_cents,
            out_of=lot.out_of,
            record=words.strip()[:200] if wiped else lot.record,
        )
        if waiting:
            unpromise(lot, len(waiting))
        if good:
            move(lot, -good, f"{verb}, good: {words.strip()}"[:120], by, act=act)
            move(usable, good, f"{verb}: {words.strip()}"[:120], by, act=act)
        if bad and wiped and drive_end:
            reason = f"{drive_end.label}: {words.strip()}"[:120]
            move(lot, -bad, reason, by, act=act, drive_end=drive_end)
        elif bad:
            move(lot, -bad, f"{verb}, bad: {words.strip()}"[:120], by, act=act)
        left = lot.on_hand - good - bad
        for n, reservation in enumerate(waiting):
            if n < good:
                reservation.lot = promise(usable.pk)
            elif n < good + left:
                reservation.lot = promise(lot.pk)
            else:
                reservation.lot, reservation.lost = None, True
            reservation.save()
            if reservation.lot is None:
                promise_lost.send(sender=Lot, reservation=reservation)
        if good:
            parts_arrived.send(sender=Lot, kind=lot.kind)
        end_act(act)
    return Lot.objects.select_related("kind").get(pk=usable.pk), act


def receive(
    purchase_id: int, place: str, by: Person, count: int | None = None
) -> tuple[Purchase, Act]:
    """Book a purchase into the store and hand it to the orders that wait for it.

    :param count: parts that really came, where not all did; what is short is named to the orders
        of the last tags, which stay waiting.
    :returns: the purchase, and the act to take it back by.
    :raises NotThere: for an unknown purchase. :raises StockRefused: where it came already.
    """
    with transaction.atomic():
        purchase = Purchase.objects.select_for_update().filter(pk=purchase_id).first()
        if purchase is None:
            raise NotThere("There is no such purchase.")
        if purchase.lot_id:
            raise StockRefused("This purchase was booked in already.")
        came = purchase.count if count is None else count
        if not 0 < came <= purchase.count:
            raise StockRefused(
                f"{purchase.count} were bought; {came} cannot have come. Book more under Receive."
            )
        offer = purchase.offer
        waiting = list(
            purchase.reservation_set.select_for_update()
            .filter(lot=None)
            .order_by("order__unit__tag")
        )
        words = f"{came} × {part_kind(offer.kind).label}"
        act = begin_act(StoreAct.ARRIVED, words, by, [purchase, *waiting])
        lot = new_lot(offer.kind, Condition.NEW, place, purchase.price_cents, merge=False)
        move(lot, came, f"received from {offer.supplier}", by, act=act)
        if came < purchase.count:
            # The rest is still on its way: a purchase of its own, so that both sums stay true.
            Purchase.objects.create(
                offer=offer,
                batch=purchase.batch,
                count=purchase.count - came,
                price_cents=purchase.price_cents,
                state=purchase.state,
                reference=purchase.reference,
                due_on=purchase.due_on,
                plan=purchase.plan,
            )
            purchase.count = came
        purchase.lot, purchase.state = lot, PurchaseState.ARRIVED
        purchase.save()
        for reservation in waiting[:came]:
            reservation.lot, reservation.purchase = promise(lot.pk), None
            reservation.save()
        if rest := waiting[came:]:
            still = Purchase.objects.filter(lot=None, offer=offer, batch=purchase.batch)
            for reservation in rest:
                reservation.purchase = still.order_by("-pk").first()
                reservation.save()
        parts_arrived.send(sender=Lot, kind=offer.kind)
        return purchase, end_act(act)


def locked_lot(lot_id: int) -> Lot:
    """The lot, locked.

    :raises NotThere: for an unknown one.
    """
    lot = Lot.objects.select_for_update().filter(pk=lot_id).first()
    if lot is None:
        raise NotThere("There is no such lot.")
    return lot


def _promised_to(lot: Lot) -> str:
    rows = lot.reservation_set.filter(taken=False).select_related("order__unit")
    return listed(sorted({row.order.unit.tag for row in rows}))
