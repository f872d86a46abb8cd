"""dmidecode and lshw: the machine, its memory places, its packs as the firmware lists them."""

import contextlib
import re
from typing import Any

from sortis_core.intake.readout.bundle import number, parsed, read_json, said
from sortis_core.intake.readout.seen import MachineSeen, ModuleSeen
from sortis_core.intake.readout.soft import figure, table, tables, word
from sortis_core.sheets import Generation

VIRTUAL = re.compile(r"virtual|qemu|kvm|bochs|hypervisor|\bvm\b", re.IGNORECASE)
SOLDERED_FORMS = ("row of chips", "chip", "tsop")
LOW_VOLTS = 1.4
LARGEST_GB = 4096
"""No board of a portable or a mini PC carries more memory."""
NO_MODULE = ("no module", "not installed")
CUT = (
    "dmidecode's list of memory is cut off in the middle of a place, so no place of it is offered. "
    "Collect it again."
)
UNITS_GB = {"kb": 1 / 1024**2, "mb": 1 / 1024, "gb": 1.0, "tb": 1024.0}


class Firmware:
    """What one tool read out of the firmware."""

    def __init__(self) -> None:
        self.machine = MachineSeen()
        self.modules: list[ModuleSeen] = []
        self.listed_memory = False
        self.ceiling_gb: int | None = None
        self.pack_designs_wh: list[float] = []
        self.radios: int | None = None
        """Wireless interfaces; None where nothing but memory and processor was listed."""
        self.fault = ""


def size_gb(text: Any) -> float | None:
    """``8 GB``, ``8192 MB``, ``49664 MB`` in GB; None where it names no size."""
    match = re.match(r"\s*(\d{1,12})\s*([kmgt]b)", word(text), re.IGNORECASE)
    return figure(int(match[1]) * UNITS_GB[match[2].lower()], 0, LARGEST_GB) if match else None


def _generation(kind: str, volts: float | None) -> Generation | None:
    match = re.search(r"L?P?DDR(\d)", kind.upper())
    if not match or int(match[1]) not in (3, 4, 5):
        return None
    if match[1] == "3":
        low = volts is not None and 0 < volts < LOW_VOLTS
        return Generation.DDR3L if low else Generation.DDR3
    return Generation(f"DDR{match[1]}")


def read_dmidecode(text: str) -> Firmware:
    """Entries of types 1, 4, 16, 17 and 22; ``fault`` says why where there are none."""
    found = Firmware()
    try:
        entries = parsed("dmidecode", text)
    except ValueError:
        entries = _entries_that_parse(text)
    if not entries:
        found.fault = "dmidecode printed no entries; it needs to run as root, on a real machine."
        return found
    memory_arrays: set[str] = set()
    other_arrays: set[str] = set()
    devices: list[dict[str, Any]] = []
    board: dict[str, Any] = {}
    for entry in entries:
        values = table(entry.get("values"))
        match entry.get("type"):
            case 1:
                found.machine = _machine(values, found.machine)
            case 2:
                board = values
            case 4:
                processor = said(values.get("version"))
                found.machine = found.machine.model_copy(update={"processor": processor})
            case 16:
                ram = "flash" not in word(values.get("use")).lower()
                (memory_arrays if ram else other_arrays).add(word(entry.get("handle")))
                ceiling = size_gb(values.get("maximum_capacity"))
                if ram and ceiling:
                    found.ceiling_gb = max(found.ceiling_gb or 0, round(ceiling))
            case 17:
                devices.append(values)
            case 22:
                design = _design_wh(values)
                if design:
                    found.pack_designs_wh.append(design)
    for values in devices:
        if word(values.get("array_handle")) in other_arrays - memory_arrays:
            continue
        if not word(values.get("size")):
            found.modules, found.listed_memory, found.fault = [], False, CUT
            break
        found.listed_memory = True
        if module := _module(values):
            found.modules.append(module)
    if not found.machine.product:
        # Firmware that nobody filled in often names the board at least.
        found.machine = found.machine.model_copy(
            update={
                "maker": found.machine.maker or said(board.get("manufacturer")),
                "product": said(board.get("product_name")),
            }
        )
    return found


def _entries_that_parse(text: str) -> list[dict[str, Any]]:
    """Whole entries of a text that was cut off somewhere."""
    entries: list[dict[str, Any]] = []
    for block in re.split(r"\n(?=Handle 0x)", text):
        if not block.startswith("Handle 0x"):
            continue
        with contextlib.suppress(ValueError):
            entries += parsed("dmidecode", f"\n\n{block}\n\n")
    return entries


def _machine(values: dict[str, Any], before: MachineSeen) -> MachineSeen:
    maker, product = said(values.get("manufacturer")), said(values.get("product_name"))
    family = said(values.get("version"))
    return before.model_copy(
        update={
            "maker": maker,
            "product": product,
            "serial": said(values.get("serial_number")),
            "virtual": bool(VIRTUAL.search(" ".join([maker, product, family]))),
        }
    )


def _module(values: dict[str, Any]) -> ModuleSeen | None:
    form = word(values.get("form_factor")).lower()
    soldered = form in SOLDERED_FORMS
    gb = size_gb(values.get("size"))
    if not gb and soldered:
        return None  # Chips the board could carry and does not: no free slot.
    bank, locator = said(values.get("bank_locator")), said(values.get("locator"))
    volts = number(values.get("configured_voltage"))
    return ModuleSeen(
        label=" ".join(part for part in (bank, locator) if part) or "memory place",
        soldered=soldered,
        gb=round(gb) if gb else None,
        generation=_generation(word(values.get("type")), volts) if gb else None,
        mts=_mts(values.get("speed")) if gb else None,
    )


def _mts(text: Any) -> int | None:
    speed = number(text)
    return round(speed) if speed and 200 <= speed <= 20_000 else None


def _design_wh(values: dict[str, Any]) -> float | None:
    made = word(values.get("manufacture_date", values.get("sbds_manufacture_date")))
    if word(values.get("serial_number")).strip("0 ") == "" and "1980-00" in made:
        return None  # An empty bay.
    capacity = number(values.get("design_capacity"))
    if not capacity:
        return None
    text = word(values.get("design_capacity"))
    volts = number(values.get("design_voltage"))
    wh = capacity / 1000 if "mWh" in text else None
    if wh is None and "mAh" in text and volts:
        wh = capacity * volts / 1_000_000
    return figure(wh, 1, 4000)


def read_lshw(text: str) -> Firmware:
    """The machine and its memory banks; DDR5 may be missing from lshw's descriptions."""
    found = Firmware()
    try:
        tree = read_json(text)
    except ValueError:
        found.fault = "lshw's output is cut off or not JSON."
        return found
    roots = tree if isinstance(tree, list) else [tree]
    for root in roots:
        if not isinstance(root, dict):
            continue
        if root.get("class") == "system":
            product = re.sub(r"\s*\([^()]*\)$", "", said(root.get("product")))
            maker = said(root.get("vendor"))
            found.machine = MachineSeen(
                maker=maker,
                product=product,
                serial=said(root.get("serial")),
                virtual=bool(VIRTUAL.search(f"{maker} {product}")),
            )
        for node in _nodes(root):
            _lshw_node(node, found)
    return found


def _lshw_node(node: dict[str, Any], found: Firmware) -> None:
    kind, key = node.get("class"), word(node.get("id"))
    if kind in ("network", "display", "bridge"):
        # Only a whole listing has these: then a radio that does not stand in it was not seen.
        wireless = "wireless" in f"{word(node.get('description'))} {key}".lower()
        wireless = wireless or "wireless" in table(node.get("capabilities"))
        found.radios = (found.radios or 0) + (kind == "network" and wireless)
    if kind == "processor" and not found.machine.processor:
        name = said(node.get("product"))
        found.machine = found.machine.model_copy(update={"processor": name})
    if kind != "memory" or not key.startswith("bank"):
        return
    words = word(node.get("description"))
    size = figure(node.get("size"), 1, LARGEST_GB * 1024**3)
    gb = round(size / 1024**3) if size else None
    if "flash" in words.lower() or "firmware" in words.lower():
        return
    found.listed_memory = True
    soldered = any(form in words.lower() for form in ("row of chips", "chip"))
    if gb is None and soldered:
        return
    clock = node.get("clock")
    mts = round(clock / 1e6) if isinstance(clock, int | float) else None
    found.modules.append(
        ModuleSeen(
            label=said(node.get("slot")) or key,
            soldered=soldered,
            gb=gb,
            generation=_generation(words, None) if gb else None,
            mts=mts if mts and 200 <= mts <= 4000 and gb else None,
        )
    )


def _nodes(root: dict[str, Any]) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = []
    waiting = [root]
    while waiting:
        node = waiting.pop(0)
        found.append(node)
        waiting += tables(node.get("children"))
    return found


def lshw_disks(text: str) -> list[tuple[str, int]]:
    """(product, GB) of the disks lshw lists; for bundles without lsblk and smartctl."""
    try:
        tree = read_json(text)
    except ValueError:
        return []
    disks: list[tuple[str, int]] = []
    for root in tree if isinstance(tree, list) else [tree]:
        for node in _nodes(root) if isinstance(root, dict) else []:
            size = figure(node.get("size"), 4e9, 2e14)
            if node.get("class") == "disk" and size:
                disks.append((said(node.get("product")), round(size / 1e9)))
    return disks
