"""A simulated bench probe: writes the bundle that a unit of given contents would give.

The outputs have the formats of the real tools, with their noise (placeholders, empty bays, mice,
sums, memory disks) and, on request, the faults that bundles come with.
"""

import io
import json
import random
import zipfile
from collections.abc import Collection
from datetime import UTC, datetime

from sortis_core.configuration import Aspect
from sortis_core.findings import DriveFinding, Findings, PlaceState, TestState
from sortis_core.sheets import Connector, Interface, ModelSheet

FAULTS = ("cut", "locale", "no_root", "virtual", "no_upower", "crlf", "folder", "old")
"""cut: dmidecode ends in the middle; locale: decimal commas; old: formats of older releases."""
BYTES = {256: 256_060_514_304, 512: 512_110_190_592, 128: 128_035_676_160, 500: 500_107_862_016}
LATIN = "0123456789ABCDEFGHJKLMNPRSTUVWXYZ"


class Probe:
    """Writes the five outputs for one unit."""

    def __init__(
        self,
        sheet: ModelSheet,
        findings: Findings,
        serial: str,
        *,
        seed: int = 1,
        faults: Collection[str] = (),
        now: datetime | None = None,
        at_work_minutes: float = 0.0,
    ) -> None:
        """:param at_work_minutes: so long it has worked on its packs."""
        self.sheet, self.findings, self.serial = sheet, findings, serial
        self.dice = random.Random(seed)
        self.now, self.at_work_minutes = now, at_work_minutes
        self.faults = frozenset(faults)
        self.drives = [
            (place, findings.drive(place.key), "".join(self.dice.choices(LATIN, k=12)))
            for place in sheet.drives_of(findings.trim)
            if findings.drive(place.key).state is PlaceState.PRESENT
        ]

    def files(self) -> dict[str, str]:
        """File name -> text."""
        files = {
            "dmidecode.txt": self.dmidecode(),
            "lshw.json": self.lshw(),
            "lsblk.json": self.lsblk(),
            "upower.txt": self.upower(),
        }
        for number, (place, drive, serial) in enumerate(self.drives):
            if drive.interface is not Interface.EMMC:
                name = self._device(number, drive)
                text = json.dumps(self._smart(place.connector, drive, serial, name), indent=2)
                files[f"smartctl-{name.split('/')[-1]}.json"] = text
        if self._has("fan"):
            files["sensors.json"] = self.sensors()
        if self.now:
            load = min(4.0, 0.2 + self.at_work_minutes / 3)
            files["loadavg.txt"] = f"{load:.2f} {load:.2f} {load / 2:.2f} 3/412 20417\n"
        if self.now and self._has("clock"):
            lost = self.findings.test("clock") is not TestState.PASSED
            clock = datetime(2015, 1, 1, 0, 4, tzinfo=UTC) if lost else self.now
            files["hwclock.txt"] = f"{clock:%Y-%m-%d %H:%M:%S}.{clock.microsecond:06}+00:00\n"
        if "no_upower" in self.faults:
            del files["upower.txt"]
        if "cut" in self.faults:
            text = files["dmidecode.txt"]
            files["dmidecode.txt"] = text[: int(len(text) * 0.7)]
        if "locale" in self.faults:
            files["upower.txt"] = _commas(files.get("upower.txt", ""))
        return files

    def bundle(self) -> bytes:
        """The zip as the collecting script writes it."""
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
            for name, text in self.files().items():
                data = text.encode()
                if "crlf" in self.faults:
                    data = b"\xef\xbb\xbf" + text.replace("\n", "\r\n").encode()
                archive.writestr(f"probe/{name}" if "folder" in self.faults else name, data)
        return out.getvalue()

    def _has(self, test: str) -> bool:
        return any(one.key == test for one in self.sheet.tests_of(self.findings.trim))

    def sensors(self) -> str:
        """A unit that works hard: what turns, and how hot it is."""
        bad = self.findings.test("fan").bad
        chips = {
            "board-isa-0290": {
                "Adapter": "ISA adapter",
                "fan1": {"fan1_input": 0.0 if bad else float(self.dice.randint(1800, 4200))},
                "Board": {"temp1_input": 41.0, "temp1_crit": 100.0},
            },
            "core-isa-0000": {"Core 0": {"temp2_input": 88.0 if bad else 67.0}},
        }
        return json.dumps(chips, indent=3)

    def _network(self) -> list[dict[str, object]]:
        """The listing of a whole machine: its display, and its radio where that works."""
        nodes: list[dict[str, object]] = [{"id": "display", "class": "display"}]
        if self._has("radio") and not self.findings.test("radio").bad:
            wireless = {"id": "network", "class": "network", "description": "Wireless interface"}
            nodes.append(dict(wireless))
        return nodes

    def _processor(self) -> str:
        """What the unit calls its processor: the one that was noted, else one that it may have."""
        noted = self.findings.configuration.get(Aspect.PROCESSOR, "")
        choices = self.sheet.choices_of(Aspect.PROCESSOR, self.findings.trim)
        named = [choice for choice in choices if choice.key == noted] or list(choices[:1])
        return f"{named[0].read_as[0]} 2.4 GHz" if named and named[0].read_as else "2.4 GHz"

    # dmidecode ------------------------------------------------------------------------------

    def dmidecode(self) -> str:
        if "no_root" in self.faults:
            return (
                "# dmidecode 3.4\nScanning /dev/mem for entry point.\n/dev/mem: Permission denied\n"
            )
        maker = "Virtual Works" if "virtual" in self.faults else self.sheet.maker
        blocks = [
            _block(
                "0x0001",
                1,
                "System Information",
                Manufacturer=maker,
                **{"Product Name": self.sheet.model, "Serial Number": self.serial},
                Version=self.dice.choice(["Not Specified", " ", "To Be Filled By O.E.M."]),
                Family="Default string",
            ),
            _block("0x0004", 4, "Processor Information", Version=f"{self._processor()}       "),
            _block(
                "0x0010",
                16,
                "Physical Memory Array",
                Location="System Board Or Motherboard",
                Use="System Memory",
                **{
                    "Maximum Capacity": f"{self.sheet.memory.stated.gb} GB",
                    "Number Of Devices": str(len(self._places())),
                },
            ),
            _block(
                "0x0030",
                16,
                "Physical Memory Array",
                Use="Flash Memory",
                **{"Maximum Capacity": "16 MB", "Number Of Devices": "1"},
            ),
        ]
        for number, (soldered, gb, mts) in enumerate(self._places()):
            blocks.append(self._memory_device(number, soldered, gb, mts))
        blocks.append(
            _block(
                "0x0031",
                17,
                "Memory Device",
                **{"Array Handle": "0x0030", "Size": "16 MB", "Form Factor": "Chip"},
                Locator="System ROM",
                Type="Flash",
            )
        )
        for number, place in enumerate(self.sheet.packs_of(self.findings.trim)):
            pack = self.findings.pack(place.key)
            design = pack.in_wh(pack.design, place.variants[0].volts)
            blocks.append(
                _block(
                    f"0x004{number}",
                    22,
                    "Portable Battery",
                    Location="Front",
                    **{
                        "Design Capacity": f"{round((design or 0) * 1000)} mWh",
                        "Design Voltage": f"{round(place.variants[0].volts * 1000)} mV",
                        "Serial Number": "0417" if design else "0000",
                        "SBDS Manufacture Date": "2021-03-04" if design else "1980-00-00",
                    },
                )
            )
        lead = "# dmidecode 3.4\nGetting SMBIOS data from sysfs.\nSMBIOS 3.2.0 present.\n\n"
        return lead + "\n\n".join(blocks) + "\n\n"

    def _places(self) -> list[tuple[bool, int | None, int | None]]:
        """(soldered, GB or None, MT/s) of every memory place the firmware lists."""
        memory = self.sheet.memory
        places: list[tuple[bool, int | None, int | None]] = []
        if memory.soldered and self.findings.soldered_gb:
            places.append((True, self.findings.soldered_gb, memory.mts))
            places.append((True, None, None))  # chips this board could carry and does not
        for slot in memory.slots:
            module = self.findings.module(slot.key)
            there = module.gb if module.state is PlaceState.PRESENT else None
            places.append((False, there, module.mts or memory.mts if there else None))
        return places

    def _memory_device(self, number: int, soldered: bool, gb: int | None, mts: int | None) -> str:
        old = "old" in self.faults
        form = "Row Of Chips" if soldered else self.sheet.memory.form or "SODIMM"
        generation = self.sheet.memory.generation
        rows = {
            "Array Handle": "0x0010",
            "Total Width": "64 bits" if gb else "Unknown",
            "Size": (f"{gb * 1024} MB" if old else f"{gb} GB") if gb else "No Module Installed",
            "Form Factor": form,
            "Set": "None",
            "Locator": "DIMM 0",  # repeated, as real firmware does
            "Bank Locator": f"P0 CHANNEL {'AB'[number % 2]}",
            "Type": generation.replace("DDR3L", "DDR3") if gb else "Unknown",
        }
        if gb:
            rows["Speed"] = f"{mts} {'MHz' if old else 'MT/s'}"
            rows["Manufacturer"] = self.dice.choice(["Not Specified", "Unknown", "0x80CE"])
            rows["Configured Voltage"] = "1.35 V" if generation == "DDR3L" else "1.2 V"
        return _block(f"0x002{number:x}", 17, "Memory Device", **rows)

    # lshw -----------------------------------------------------------------------------------

    def lshw(self) -> str:
        root = "no_root" not in self.faults
        banks = [
            {
                "id": f"bank:{number}",
                "class": "memory",
                "description": f"{'Row of chips' if soldered else 'SODIMM'} "
                f"{self.sheet.memory.generation} Synchronous {mts} MHz"
                if gb
                else f"{'Row of chips' if soldered else 'SODIMM'} [empty]",
                "slot": "DIMM 0",
                **({"size": gb * 1024**3, "units": "bytes"} if gb else {}),
                **self._clock(gb, mts),
            }
            for number, (soldered, gb, mts) in enumerate(self._places())
        ]
        tree = {
            "id": "bench-live",
            "class": "system",
            "product": f"{self.sheet.model} (SKU{self.dice.randint(100, 999)})" if root else "",
            "vendor": "Virtual Works" if "virtual" in self.faults else self.sheet.maker,
            "serial": self.serial if root else "",
            "children": [
                {
                    "id": "core",
                    "class": "bus",
                    "children": [
                        {"id": "firmware", "class": "memory", "size": 131072},
                        *([{"id": "memory", "class": "memory", "children": banks}] if root else []),
                        {"id": "cpu", "class": "processor", "product": self._processor()},
                        *self._network(),
                    ],
                }
            ],
        }
        text = json.dumps(tree if "old" in self.faults else [tree], indent=2)
        warning = "WARNING: output may be incomplete or inaccurate, you should run this program "
        return text if root else f"{warning}as super-user.\n{text}\n{warning}as super-user.\n"

    def _clock(self, gb: int | None, mts: int | None) -> dict[str, int]:
        """The clock in Hz; for DDR5 it overflows in real outputs, so it is left out."""
        fast = self.sheet.memory.generation == "DDR5"
        return {"clock": mts * 1_000_000} if gb and mts and not fast else {}

    # lsblk and smartctl ---------------------------------------------------------------------

    def _device(self, number: int, drive: DriveFinding) -> str:
        if drive.interface is Interface.NVME:
            return f"nvme{number}"
        return f"mmcblk{number}" if drive.interface is Interface.EMMC else f"sd{'abcd'[number]}"

    def lsblk(self) -> str:
        old = "old" in self.faults
        rows: list[dict[str, object]] = [
            {"name": "zram0", "type": "disk", "size": 4_096_000_000, "rota": False, "tran": None},
            {"name": "sdz", "type": "disk", "size": 15_500_000_000, "tran": "usb", "rm": True},
        ]
        for number, (_, drive, serial) in enumerate(self.drives):
            size = BYTES.get(drive.gb or 0, (drive.gb or 0) * 1_000_000_000)
            name = self._device(number, drive)
            emmc = drive.interface is Interface.EMMC
            rows.append(
                {
                    "name": f"{name}n1" if name.startswith("nvme") else name,
                    "type": "disk",
                    "size": size,
                    "rota": drive.spinning,
                    "tran": None if emmc else "nvme" if name.startswith("nvme") else "sata",
                    "model": None if emmc else f"Grauwal S{drive.gb}",
                    "serial": None if emmc else f"{serial[:6]}_{serial[6:]}",
                }
            )
            if emmc:
                rows.append({"name": f"{name}boot0", "type": "disk", "size": 4_194_304})
        if old or "locale" in self.faults:
            sign = "," if "locale" in self.faults else "."
            for row in rows:
                row["size"] = f"{float(str(row['size'])) / 2**30:.1f}G".replace(".", sign)
                row["rota"] = "1" if row.get("rota") else "0"
        return json.dumps({"blockdevices": rows}, indent=3)

    def _smart(
        self, connector: Connector, drive: DriveFinding, serial: str, name: str
    ) -> dict[str, object]:
        nvme = drive.interface is Interface.NVME
        used = None if drive.life_percent is None else 100 - drive.life_percent
        exit_status, hours = self.dice.choice([0, 4]), self.dice.randint(900, 26_000)
        found: dict[str, object] = {
            "json_format_version": [1, 0],
            "smartctl": {"version": [7, 3], "exit_status": exit_status},
            "device": {"name": f"/dev/{name}", "protocol": "NVMe" if nvme else "ATA"},
            "model_name": f"Grauwal S{drive.gb}",
            "serial_number": f"{serial[:6]} {serial[6:]}",
            "smart_status": {"passed": True},
            "power_on_time": {"hours": hours},
        }
        tested = {"self_test_result": {"value": 0}, "power_on_hours": hours}
        if self.now and nvme:
            found["nvme_self_test_log"] = {"nsid": -1, "table": [tested]}
        elif self.now:
            row = {"status": {"value": 0, "passed": True}, "lifetime_hours": hours}
            found["ata_smart_self_test_log"] = {"standard": {"revision": 1, "table": [row]}}
        size = BYTES.get(drive.gb or 0, (drive.gb or 0) * 1_000_000_000)
        if nvme:
            found["nvme_total_capacity"] = size
            if used is not None:
                found["nvme_smart_health_information_log"] = {"percentage_used": used}
        else:
            found["user_capacity"] = {"blocks": size // 512, "bytes": size}
            found["rotation_rate"] = 5400 if drive.spinning else 0
            form = "2.5 inches" if connector is Connector.BAY else "M.2"
            found["form_factor"] = {"ata_value": 3, "name": form}
            if used is not None and not drive.spinning:
                row = {"name": "Percentage Used Endurance Indicator", "value": used}
                found["ata_device_statistics"] = {"pages": [{"number": 7, "table": [row]}]}
        return found

    def _drawn_wh(self, full: float) -> float:
        """What one pack gave while it worked; all packs together give what the model draws."""
        packs = [self.findings.pack(p.key) for p in self.sheet.packs_of(self.findings.trim)]
        working = sum(1 for pack in packs if pack.state is PlaceState.PRESENT)
        watts = self.sheet.draw[0].watts if self.sheet.draw else 8.0
        return min(full * 0.7, watts * self.at_work_minutes / 60 / max(1, working))

    # upower ---------------------------------------------------------------------------------

    def upower(self) -> str:
        devices = [
            _power("mouse_dev_7", "mouse_dev_7", "no", "mouse", present="yes", percentage="55%")
        ]
        for number, place in enumerate(self.sheet.packs_of(self.findings.trim)):
            pack = self.findings.pack(place.key)
            volts = place.variants[0].volts
            full, design = pack.in_wh(pack.full, volts), pack.in_wh(pack.design, volts)
            if pack.state is not PlaceState.PRESENT or full is None or design is None:
                rows = {"present": "no", "energy-full": "0 Wh", "energy-full-design": "0 Wh"}
            else:
                rows = {
                    "present": "yes",
                    "state": "discharging",
                    "energy": f"{max(0.0, full * 0.8 - self._drawn_wh(full)):.4g} Wh",
                    "energy-full": f"{full:.6g} Wh",
                    "energy-full-design": f"{design:.6g} Wh",
                    "voltage": f"{volts * 1.04:.5g} V",
                    "charge-cycles": str(pack.cycles) if pack.cycles else "N/A",
                    "percentage": "80%",
                    "capacity": f"{min(100.0, full / design * 100):.6g}%",
                    "technology": "lithium-polymer",
                }
            name = f"BAT{number}"
            devices.append(_power(f"battery_{name}", name, "yes", "battery", **rows))
        devices.append(
            _power("DisplayDevice", "", "yes", "battery", present="yes", percentage="80%")
        )
        daemon = "Daemon:\n  daemon-version:  0.99.20\n  on-battery:      yes\n"
        return "\n".join(devices) + "\n" + daemon


def _block(handle: str, kind: int, title: str, **rows: str) -> str:
    lines = [f"Handle {handle}, DMI type {kind}, 40 bytes", title]
    return "\n".join(lines + [f"\t{name}: {value}" for name, value in rows.items()])


def _power(device: str, native: str, supply: str, kind: str, **rows: str) -> str:
    lines = [
        f"Device: /org/freedesktop/UPower/devices/{device}",
        *([f"  native-path:          {native}"] if native else []),
        f"  power supply:         {supply}",
        "  updated:              Tue 03 Nov 2026 09:14:12 AM UTC (31 seconds ago)",
        "  has history:          yes",
        "  has statistics:       yes",
        f"  {kind}",
    ]
    return (
        "\n".join(lines + [f"    {name + ':':<20} {value}" for name, value in rows.items()]) + "\n"
    )


def _commas(text: str) -> str:
    """Figures as other languages write them."""
    lines = []
    for line in text.split("\n"):
        figure = line.rstrip().endswith(("Wh", " V", " W", "%"))
        lines.append(line.replace(".", ",") if figure else line)
    return "\n".join(lines)
