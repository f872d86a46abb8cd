"""Work on model sheets: what changed between versions, new sheets from near ones, proofs.

A sheet is never edited in place; each of these gives a new document, or words about two of them.
"""

import hashlib
import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from sortis_core.base import Record
from sortis_core.intake.readout.seen import ReadOut
from sortis_core.route.check import circles
from sortis_core.route.graph import Depth, Route, RouteStep
from sortis_core.sheets import (
    Connector,
    DrivePlace,
    FactSource,
    Generation,
    Interface,
    MachineForm,
    Memory,
    MemoryCeiling,
    MemorySlot,
    ModelSheet,
    PackPlace,
    PackVariant,
    SolderedMemory,
    Trim,
)


class Change(Record):
    """One difference between two versions of a sheet."""

    where: str
    was: str
    now: str


class SheetFault(Record):
    """Why a document is no sheet yet: where, and what to do."""

    where: str
    sentence: str


def what_changed(old: ModelSheet, new: ModelSheet) -> tuple[Change, ...]:
    """Every fact that differs, in the order of the document; the version itself is left out."""
    return tuple(
        Change(
            where=" › ".join(one.path) + (" (order)" if one.order else ""),
            was=in_words(one.was),
            now=in_words(one.now),
        )
        for one in differences(old.model_dump(), new.model_dump())
        if one.path != ("version",)
    )


@dataclass(frozen=True, slots=True)
class Difference:
    """One fact in which two documents differ, as they hold it."""

    path: tuple[str, ...]
    """Fields, and names of the items of lists."""
    was: Any
    now: Any
    order: bool = False
    """The items are the same, in another order; both are their names."""


def named(items: Sequence[Any]) -> dict[str, Any] | None:
    """Items by what names them, where all have a name of their own."""
    for name in ("key", "place", "family", "use"):
        if items and all(isinstance(item, dict) and item.get(name) for item in items):
            names = [str(item[name]) for item in items]
            if len(set(names)) == len(names):
                return dict(zip(names, items, strict=True))
    return None


def differences(old: Any, new: Any, path: tuple[str, ...] = ()) -> Iterator[Difference]:
    """Every fact that differs, in the order of the documents."""
    if old == new:
        return
    if isinstance(old, dict) and isinstance(new, dict):
        for key in dict.fromkeys([*old, *new]):
            yield from differences(old.get(key), new.get(key), (*path, key))
        return
    if isinstance(old, tuple) and isinstance(new, tuple):
        named_old, named_new = named(old), named(new)
        if (named_old or not old) and (named_new or not new) and (named_old or named_new):
            before, after = named_old or {}, named_new or {}
            for key in dict.fromkeys([*before, *after]):
                yield from differences(before.get(key), after.get(key), (*path, key))
            if list(before) != list(after) and set(before) == set(after):
                yield Difference(path, tuple(before), tuple(after), order=True)
            return
    yield Difference(path, old, new)


def in_words(value: Any) -> str:
    """A value of a document in words; empty where there is none."""
    if value is None or value in ("", (), {}):
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, dict):
        said = [f"{k} {in_words(v)}" for k, v in value.items() if in_words(v)]
        return ", ".join(said)
    if isinstance(value, tuple):
        return ", ".join(in_words(item) for item in value)
    return f"{value}"


def sheet_faults(document: Any) -> tuple[SheetFault, ...]:
    """Why a document is no sheet; empty where it is one."""
    try:
        sheet = ModelSheet.model_validate(document)
    except ValidationError as error:
        return tuple(
            SheetFault(
                where=" › ".join(str(step) for step in fault["loc"]) or "the sheet",
                sentence=fault["msg"].removeprefix("Value error, "),
            )
            for fault in error.errors()[:20]
        )
    return tuple(SheetFault(where=gap.where, sentence=gap.sentence) for gap in circles(sheet.route))


def sheet_key(maker: str, model: str) -> str:
    """Key of a sheet: ``ombrel-folio-15``; names of another script get one made from them."""
    name = f"{maker} {model}".lower()
    key = re.sub(r"[^a-z0-9]+", "-", name).strip("-")[:60]
    lost = sum(letter.isalnum() and not letter.isascii() for letter in name)
    if lost:
        digest = hashlib.sha256(name.encode()).hexdigest()[:8]
        key = f"{key[:45]}-{digest}".strip("-")
    return key


def only_named(maker: str, model: str) -> ModelSheet:
    """A sheet of which nothing but the name is known; nobody can inspect by it yet."""
    return ModelSheet(
        key=sheet_key(maker, model),
        version=1,
        maker=maker,
        model=model,
        form=MachineForm.LAPTOP,
        year=2020,
        summary="Noted at the door; its sheet is still to be written.",
        written=False,
        trims=(Trim(key="std", label="standard"),),
        memory=Memory(
            generation=Generation.DDR4,
            mts=2400,
            stated=MemoryCeiling(gb=16, source=FactSource.GUESS),
        ),
        drives=(),
        route=Route(setup_minutes=1.0, check_minutes=2.0, steps=(), reaches=()),
    )


def from_nearest(near: ModelSheet, maker: str, model: str) -> ModelSheet:
    """A sheet for an unknown model, begun from one that is like it; every figure is a guess.

    What only the other model is known to be built with, and which of its own parts mend it, is no
    fact of this one: nobody is to be told of its processor, or sent for its keyboard.
    """
    key = sheet_key(maker, model)
    memory = near.memory.model_copy(
        update={
            "stated": near.memory.stated.model_copy(update={"source": FactSource.GUESS}),
            "proven": None,
        }
    )
    return near.model_copy(
        update={
            "key": key,
            "version": 1,
            "maker": maker,
            "model": model,
            "summary": f"Begun from {near.name}; not checked on a unit yet.",
            "written": True,
            "memory": memory,
            "drives": tuple(
                drive.model_copy(update={"source": FactSource.GUESS}) for drive in near.drives
            ),
            "packs": tuple(_packs_of_its_own(pack, key) for pack in near.packs),
            "tests": tuple(test.model_copy(update={"repair": None}) for test in near.tests),
            "boards": (),
            "built_with": (),
        }
    )


def _packs_of_its_own(pack: PackPlace, key: str) -> PackPlace:
    """The place with packs of these sizes that no other model's part is taken for."""
    return pack.model_copy(
        update={
            "variants": tuple(
                size.model_copy(
                    update={"family": f"{key[:50]}-{pack.key}-{number}", "needs_kinds": ()}
                )
                for number, size in enumerate(pack.variants, start=1)
            )
        }
    )


def from_readout(readout: ReadOut, maker: str, model: str) -> ModelSheet:
    """A sheet for an unknown model from what a unit says of itself.

    Slots, soldered memory, drives and packs are those that were seen; the route has only its
    first step and is written by whoever opens the unit.
    """
    soldered = sum(module.gb or 0 for module in readout.memory if module.soldered)
    modules = [module for module in readout.memory if not module.soldered]
    seen = [module.generation for module in readout.memory if module.generation]
    largest = max([module.gb or 0 for module in modules], default=0)
    ceiling = readout.ceiling_gb or max(16, readout.total_gb)
    return ModelSheet(
        key=sheet_key(maker, model),
        version=1,
        maker=maker,
        model=model,
        form=MachineForm.LAPTOP if readout.packs else MachineForm.MINI_PC,
        year=2020,
        summary="Begun from a read-out; what cannot be read out is still missing.",
        trims=(Trim(key="std", label="standard"),),
        memory=Memory(
            generation=Counter(seen).most_common(1)[0][0] if seen else Generation.DDR4,
            form=None,
            mts=max([module.mts or 0 for module in readout.memory], default=0) or 2400,
            soldered=SolderedMemory(amounts_gb=(soldered,)) if soldered else None,
            slots=tuple(
                MemorySlot(
                    key=f"m{number}",
                    label=f"Slot {number}",
                    limit_gb=max(largest, ceiling // max(1, len(modules))),
                    channel="AB"[number % 2 - 1],
                )
                for number in range(1, len(modules) + 1)
            ),
            stated=MemoryCeiling(gb=max(ceiling, readout.total_gb), source=FactSource.GUESS),
        ),
        drives=tuple(
            DrivePlace(
                key=f"d{number}",
                label=f"Drive place {number}",
                connector=_connector(drive.interface, drive.spinning or drive.in_bay is True),
                interfaces=(drive.interface or Interface.SATA,),
                limit_gb=max(1000, drive.gb or 0),
                source=FactSource.GUESS,
            )
            for number, drive in enumerate(readout.drives, start=1)
        ),
        packs=tuple(
            PackPlace(
                key=f"p{number}",
                label="Pack" if len(readout.packs) == 1 else f"Pack {number}",
                variants=(
                    PackVariant(
                        family=pack.family or f"{sheet_key(maker, model)}-pack",
                        design_wh=pack.design_wh,
                        volts=11.4,
                        cells=3,
                    ),
                ),
            )
            for number, pack in enumerate(readout.packs, start=1)
        ),
        route=Route(
            setup_minutes=2,
            check_minutes=3,
            steps=(
                RouteStep(
                    key="power_off",
                    title="Power off, adapter out",
                    how="Shut down, not asleep. Pull the adapter and everything plugged in.",
                    depth=Depth.OUTSIDE,
                    minutes_out=0.5,
                ),
            ),
            reaches=(),
        ),
    )


def _connector(interface: Interface | None, bay: bool) -> Connector:
    if interface is Interface.EMMC:
        return Connector.EMMC
    return Connector.BAY if bay else Connector.M2


class ProvenOffer(Record):
    """Released units that ran beyond the stated ceiling, as a fact to add to the sheet."""

    sheet: str
    gb: int
    units: int
    sentence: str


def proven_offer(sheet: ModelSheet, released_gb: Iterable[int]) -> ProvenOffer | None:
    """The highest total that released units ran above the stated ceiling, with its count.

    :param released_gb: memory total of every released unit of the model.
    """
    beyond = [gb for gb in released_gb if gb > sheet.memory.stated.gb]
    if not beyond:
        return None
    top = max(beyond)
    units = sum(gb == top for gb in beyond)
    known = sheet.memory.proven
    if known and (known.gb, known.units_on_record) >= (top, units):
        return None
    said = "unit was" if units == 1 else "units were"
    return ProvenOffer(
        sheet=sheet.key,
        gb=top,
        units=units,
        sentence=f"{units} {said} released with {top} GB, more than the stated "
        f"{sheet.memory.stated.gb} GB.",
    )


def with_proof(sheet: ModelSheet, offer: ProvenOffer, seen_by: str = "") -> ModelSheet:
    """The sheet with the bench-proven ceiling of an offer.

    :param seen_by: name of the workshop that saw it run.
    """
    proven = MemoryCeiling(
        gb=offer.gb, source=FactSource.BENCH, units_on_record=offer.units, seen_by=seen_by
    )
    memory = sheet.memory.model_copy(update={"proven": proven})
    return sheet.model_copy(update={"memory": memory})
