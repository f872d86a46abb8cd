"""Probe bundles: read as far as they go, laid beside what a person saw, hostile ones refused."""

import io
import json
import random
import re
import struct
import unittest
import zipfile

from hypothesis import given
from hypothesis import strategies as st

from demo.generator import make_entries, read
from sortis_core.findings import PlaceState
from sortis_core.intake.entry import read_entries
from sortis_core.intake.readout import BundleRefused, ReadOut, compare, read_bundle
from sortis_core.intake.readout.bundle import LARGEST_FILE_BYTES, MOST_FILES
from sortis_core.intake.readout.drives import bytes_of, market_gb, read_smartctl
from sortis_core.intake.readout.firmware import read_dmidecode
from sortis_core.intake.readout.living import read_clock, read_sensors
from sortis_core.intake.readout.packs import read_upower
from standins.probe import FAULTS, Probe
from tests.core.sample import FOLIO, LERN, SHEETS, STILT, folio, found, stilt
from tests.examples import few

TARN = SHEETS["kestrin-tarn-14"]


def readout(sheet, findings, *faults: str, seed: int = 1) -> ReadOut:
    return read_bundle(Probe(sheet, findings, "SN-1", seed=seed, faults=faults).bundle())


def zipped(**files: bytes | str) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(name.replace("__", "."), data)
    return out.getvalue()


class Living(unittest.TestCase):
    def test_fans_heat_and_clock_as_tools_print_them(self):
        fans, heat = read_sensors(
            '{"c": {"A": "x", "fan1": {"fan1_input": 2100.0}, "T": {"temp1_input": 71.5}}}'
        )
        self.assertEqual((fans, heat), ((2100,), 71.5))
        for text in (
            "2026-11-27 13:20:01.123456+00:00",
            "2026-11-27 14:20:01.5+0100\n",
            "hwclock from util-linux\n2026-11-27T13:20:01Z",
        ):
            self.assertEqual(read_clock(text).isoformat(), "2026-11-27T13:20:01+00:00")

    def test_what_is_no_figure_is_none(self):
        for value in ("NaN", "1e400", "-50", "true", '"2100"', "[]", "null", "99999"):
            fans, heat = read_sensors(
                f'{{"c": {{"f": {{"fan1_input": {value}, "temp1_input": {value}}}}}}}'
            )
            self.assertEqual((fans, heat), ((), None), value)
        for text in ("", "5", "[[[", '{"c":', "No sensors found!"):
            with self.assertRaises(ValueError):
                read_sensors(text)
        for text in (
            "",
            "hwclock: Cannot access the Hardware Clock",
            "2026-13-41 25:61:61",
            "9999999-01-01 00:00:00",
        ):
            with self.assertRaises(ValueError):
                read_clock(text)
        huge = json.dumps({str(n): {"f": {f"fan{n}_input": 1}} for n in range(5000)})
        self.assertLessEqual(len(read_sensors(huge)[0]), 100)


class AWholeBundle(unittest.TestCase):
    @few(7)
    @given(st.integers(0, 5_000), st.sampled_from(sorted(SHEETS)))
    def test_says_what_is_in_the_unit(self, seed, key):
        sheet, dice = SHEETS[key], random.Random(seed)
        trim = dice.choice(sheet.trims).key
        findings = read(sheet, trim, make_entries(sheet, trim, dice))
        got = readout(sheet, findings, *dice.sample(["crlf", "folder", "old", "locale"], 2))
        self.assertEqual(got.machine.product, sheet.model)
        present = [m.gb for m in findings.modules.values() if m.state is PlaceState.PRESENT]
        self.assertEqual(got.total_gb, sum(present) + (findings.soldered_gb or 0))
        drives = [d for d in findings.drives.values() if d.state is PlaceState.PRESENT]
        self.assertEqual(sorted(d.gb for d in got.drives), sorted(d.gb for d in drives))
        self.assertEqual(
            sorted(str(d.life_percent) for d in got.drives),
            sorted(str(None if d.spinning else d.life_percent) for d in drives),
        )
        packs = [p for p in findings.packs.values() if p.state is PlaceState.PRESENT]
        self.assertEqual(len(got.packs), len(packs))
        for seen, pack in zip(got.packs, packs, strict=True):
            self.assertAlmostEqual(
                seen.full_wh / seen.design_wh * 100, pack.health_percent, delta=1
            )

    def test_fills_the_places_nobody_wrote_about(self):
        findings = stilt(m1="8 2666", m2="-", d1="s256 91%", d2="-")
        blank, _ = read_entries(STILT, "std", {})
        told = compare(STILT, blank, readout(STILT, findings), "SN-1").entries
        self.assertEqual(told["m1"], "8 2666")
        self.assertEqual((told["m2"], told["d1"], told["d2"]), ("-", "s256 91%", "-"))
        self.assertEqual(told["starts"], "+")

    def test_two_packs_find_their_places(self):
        findings = found(
            TARN, m1="8", m2="8", d1="h500", d2="-", d3="-", p1="20/23.5 210c", p2="40/48.8 90c"
        )
        blank, _ = read_entries(TARN, "std", {})
        told = compare(TARN, blank, readout(TARN, findings)).entries
        self.assertEqual((told["p1"], told["p2"]), ("20/23.5 210c", "40/48.8 90c"))
        self.assertEqual((told["d1"], told["d3"]), ("h500", "-"))
        self.assertNotIn("d2", told)  # The radio card may sit there, which no tool says.


class BesideWhatAPersonSaw(unittest.TestCase):
    def test_a_difference_is_a_question_and_nothing_is_overwritten(self):
        machine = readout(FOLIO, folio(m1="4"))
        said = compare(FOLIO, folio(m1="8"), machine, "SN-1")
        row = next(row for row in said.rows if row.place == "m1")
        self.assertTrue(row.differs)
        self.assertEqual((row.machine.split()[0], row.person), ("4", "8"))
        self.assertNotIn("m1", said.entries)

    def test_what_one_side_only_adds_is_no_difference(self):
        said = compare(FOLIO, folio(p1="43/46 90c"), readout(FOLIO, folio(p1="43/46 123c")), "SN-1")
        self.assertEqual([row.place for row in said.rows if row.differs], [])

    def test_a_read_out_of_another_unit_is_noticed(self):
        said = compare(FOLIO, folio(), readout(FOLIO, folio()), "SN-2")
        self.assertIn("serial SN-1; this unit was announced with SN-2", said.questions[0])

    def test_the_processor_is_read_by_the_sheet_s_names_for_it(self):
        machine = readout(FOLIO, folio(built_processor="d4"))
        said = compare(FOLIO, folio(), machine, "SN-1")
        self.assertEqual(said.entries["built_processor"], "d4")
        row = next(
            row
            for row in compare(FOLIO, folio(built_processor="d3"), machine, "SN-1").rows
            if row.place == "built_processor"
        )
        self.assertTrue(row.differs)
        strange = machine.model_copy(
            update={"machine": machine.machine.model_copy(update={"processor": "Dorrin D30"})}
        )
        said = compare(FOLIO, folio(), strange, "SN-1")
        self.assertNotIn("built_processor", said.entries)
        self.assertIn("the sheet knows Dorrin D3 or Dorrin D4", said.questions[0])

    def test_a_drive_that_could_sit_in_two_sockets_is_asked(self):
        gantry = SHEETS["ombrel-gantry-16"]
        findings = found(gantry, m1="16", m2="-", d1="n512", d2="-", p1="60/68.4 90c")
        said = compare(gantry, findings, readout(gantry, findings))
        self.assertIn("may sit in M.2 socket 1 or M.2 socket 2", said.questions[0])

    def test_what_the_model_cannot_hold_is_asked(self):
        blank, _ = read_entries(LERN, "std", {})
        other = found(STILT, m1="8", m2="8", d1="s256", d2="n256")
        asked = " ".join(compare(LERN, blank, readout(STILT, other)).questions)
        self.assertIn("lists 2 memory slots, the sheet 0", asked)
        self.assertIn("No free place of this model takes the drive Grauwal S256, 256 GB", asked)
        self.assertIn("calls itself Stilt Q2; this unit is on the sheet of Tolva Lern 11", asked)


class Partial(unittest.TestCase):
    @few(5)
    @given(st.integers(0, 3_000), st.sampled_from(sorted(SHEETS)), st.sets(st.sampled_from(FAULTS)))
    def test_any_mixture_of_faults_is_read_as_far_as_it_goes(self, seed, key, faults):
        sheet, dice = SHEETS[key], random.Random(seed)
        trim = dice.choice(sheet.trims).key
        findings = read(sheet, trim, make_entries(sheet, trim, dice))
        got = readout(sheet, findings, *sorted(faults), seed=seed)
        blank, _ = read_entries(sheet, trim, {})
        told = compare(sheet, blank, got, "SN-1")
        _, refusals = read_entries(sheet, trim, told.entries)
        self.assertEqual(refusals, {})
        for sentence in (*got.not_read, *told.questions):
            self.assertRegex(sentence, r"[.?]$")

    def test_a_virtual_machine_says_nothing_of_the_hardware(self):
        got = readout(FOLIO, folio(), "virtual")
        self.assertEqual((got.memory, got.drives, got.packs), ((), (), ()))
        self.assertIn("virtual machine", got.not_read[-1])

    def test_without_root_the_drives_and_packs_are_still_read(self):
        got = readout(FOLIO, folio(), "no_root")
        self.assertFalse(got.memory_read)
        self.assertIn("needs to run as root", got.not_read[0])
        self.assertEqual(len(got.drives), 1)
        blank, _ = read_entries(FOLIO, "flash", {})
        self.assertNotIn("m1", compare(FOLIO, blank, got).entries)

    def test_what_is_missing_from_the_bundle_is_said_and_claims_nothing(self):
        got = read_bundle(zipped(upower__txt=Probe(FOLIO, folio(), "S").upower()))
        self.assertEqual(len(got.packs), 1)
        self.assertEqual(len(got.not_read), 4)
        blank, _ = read_entries(FOLIO, "flash", {})
        self.assertEqual(set(compare(FOLIO, blank, got).entries), {"p1", "starts"})

    def test_a_unit_without_a_pack_has_an_empty_bay(self):
        got = readout(FOLIO, folio(p1="-"))
        self.assertEqual((got.packs, got.packs_read), ((), True))
        blank, _ = read_entries(FOLIO, "flash", {})
        self.assertEqual(compare(FOLIO, blank, got).entries["p1"], "-")


class Traps(unittest.TestCase):
    def test_a_module_that_says_unknown_still_counts(self):
        text = Probe(STILT, stilt(), "S").dmidecode().replace("2666 MT/s", "Unknown")
        modules = read_dmidecode(text).modules
        self.assertEqual([(m.gb, m.mts) for m in modules], [(8, None), (8, None)])

    def test_a_module_is_counted_in_twos_whatever_the_tool_writes(self):
        """32768 MB are 32 GB, not 33."""
        text = Probe(FOLIO, folio(m1="16"), "S").dmidecode()
        for size in ("32768 MB", "32 GB", "33554432 kB"):
            written = re.sub(r"Size: 16(384)? [MG]B", f"Size: {size}", text)
            self.assertIn(size, written)
            self.assertIn(32, [module.gb for module in read_dmidecode(written).modules], size)

    def test_low_voltage_tells_ddr3l_from_ddr3(self):
        mora = SHEETS["tolva-mora-15"]
        findings = found(mora, m1="8", m2="-", d1="-", p1="25/30.2 90c", p2="-")
        text = Probe(mora, findings, "S").dmidecode()
        self.assertEqual(read_dmidecode(text).modules[0].generation, "DDR3L")
        plain = read_dmidecode(text.replace("1.35 V", "1.5 V")).modules[0]
        self.assertEqual(plain.generation, "DDR3")

    def test_health_is_reckoned_never_taken_from_the_capped_figure(self):
        pack = read_upower(Probe(FOLIO, folio(p1="47/46 90c"), "S").upower())[0]
        self.assertGreater(pack.full_wh, pack.design_wh)

    def test_wear_beyond_a_hundred_percent_is_no_life_left(self):
        text = (
            '{"device": {"name": "/dev/nvme0", "protocol": "NVMe"}, "model_name": "Grauwal",'
            '"nvme_smart_health_information_log": {"percentage_used": 134},'
            '"smartctl": {"exit_status": 8}, "smart_status": {"passed": false}}'
        )
        drive, _ = read_smartctl(text)
        self.assertEqual((drive.life_percent, drive.failing), (0, True))

    def test_a_drive_that_did_not_answer_is_said(self):
        drive, fault = read_smartctl('{"smartctl": {"exit_status": 2}, "model_name": "x"}')
        self.assertIsNone(drive)
        self.assertIn("did not answer", fault)

    def test_sizes_in_any_writing(self):
        self.assertEqual(market_gb(bytes_of("238,5G")), 256)
        self.assertEqual(market_gb(bytes_of("238.5GiB")), 256)
        self.assertEqual(market_gb(bytes_of(1_000_204_886_016)), 1000)
        self.assertIsNone(bytes_of("many"))

    def test_a_firmware_figure_ten_times_off_is_asked(self):
        probe = Probe(FOLIO, folio(), "S")
        files = probe.files()
        files["dmidecode.txt"] = files["dmidecode.txt"].replace("46000 mWh", "4600 mWh")
        got = read_bundle(zipped(**{n.replace(".", "__"): t for n, t in files.items()}))
        self.assertIn("upower says 46 Wh by design, the firmware 4.6 Wh", got.questions[0])


class OneToolInPlaceOfAnother(unittest.TestCase):
    def bundle(self, *names: str, change=lambda name, text: text) -> ReadOut:
        files = Probe(STILT, stilt(m2="-"), "SN-1").files()
        chosen = {name: change(name, text) for name, text in files.items() if name in names}
        return read_bundle(zipped(**{n.replace(".", "__"): t for n, t in chosen.items()}))

    def test_lshw_stands_in_for_dmidecode(self):
        got = self.bundle("lshw.json")
        self.assertEqual([module.gb for module in got.memory], [8, None])
        self.assertEqual((got.machine.product, got.memory[0].mts), ("Stilt Q2", 2666))
        self.assertIn("no output of dmidecode", got.not_read[0])

    def test_two_tools_that_disagree_are_a_question(self):
        def less(name: str, text: str) -> str:
            return text.replace(str(8 * 1024**3), str(4 * 1024**3)) if "lshw" in name else text

        got = self.bundle("lshw.json", "dmidecode.txt", change=less)
        self.assertIn("dmidecode lists 8 GB of memory, lshw 4 GB", got.questions[0])
        self.assertEqual(got.total_gb, 8)

    def test_a_drive_that_only_one_tool_lists_is_a_question(self):
        def other(name: str, text: str) -> str:
            return text.replace('"serial": "', '"serial": "Z') if "lsblk" in name else text

        got = self.bundle("lsblk.json", "smartctl-sda.json", change=other)
        self.assertEqual(len(got.drives), 1)
        self.assertIn("that lsblk does not list", got.questions[0])

    def test_sticks_memory_disks_and_boot_parts_are_no_drives(self):
        primer = SHEETS["tolva-primer-14"]
        findings = found(primer, m1="8", d0="e64", d1="-", p1="33/37 90c")
        got = readout(primer, findings)
        self.assertEqual([(d.gb, d.interface) for d in got.drives], [(64, "eMMC")])


class Hostile(unittest.TestCase):
    def refused(self, data: bytes) -> str:
        with self.assertRaises(BundleRefused) as caught:
            read_bundle(data)
        return caught.exception.sentence

    def test_each_is_answered_plainly(self):
        whole = Probe(FOLIO, folio(), "S").bundle()
        self.assertIn("empty", self.refused(b""))
        self.assertIn("not a whole zip", self.refused(b"x" * 500))
        self.assertIn("not a whole zip", self.refused(whole[: len(whole) // 2]))
        self.assertIn("holds no output", self.refused(zipped(readme__txt="hello")))
        many = {f"smartctl-{n}__json": "{}" for n in range(MOST_FILES + 1)}
        self.assertIn("at most 60", self.refused(zipped(**many)))
        self.assertIn("up to 5 MB", self.refused(b"PK\x03\x04" + b"\0" * 6_000_000))

    def test_a_bomb_is_not_unpacked(self):
        got = read_bundle(zipped(dmidecode__txt=b"\0" * (LARGEST_FILE_BYTES * 2), lsblk__json="{}"))
        self.assertIn("dmidecode.txt claims 8 MB", got.not_read[0])

    def test_a_claimed_gigabyte_and_an_understated_bomb(self):
        data = bytearray(zipped(lshw__json=b"[" * 3_000_000, lsblk__json="{}"))
        at = (
            data.rfind(b"PK\x01\x02", 0, data.rfind(b"PK\x01\x02"))
            if data.count(b"PK\x01\x02") > 1
            else 0
        )
        struct.pack_into("<I", data, at + 24, 1_000_000_000)
        self.assertIn("claims 1,000 MB", " ".join(read_bundle(bytes(data)).not_read))
        struct.pack_into("<I", data, at + 24, 100)
        self.assertTrue(read_bundle(bytes(data)).not_read)

    def test_deep_nesting_and_control_characters_do_not_upset_it(self):
        got = read_bundle(
            zipped(
                lshw__json="[" * 100_000,
                lsblk__json='{"blockdevices": [{"name": "sd\\u0000", "size": "1e99", "model": 7}]}',
                upower__txt="Device: \x07\x1b[31m\nbattery\n",
                dmidecode__txt=b"\xff\xfeH\x00a\x00",
            )
        )
        self.assertEqual((got.drives, got.packs), ((), ()))

    @few(5)
    @given(st.binary(max_size=400), st.sampled_from(["dmidecode.txt", "lshw.json", "upower.txt"]))
    def test_any_bytes_in_any_file_are_read_or_named(self, data, name):
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as archive:
            archive.writestr(name, data)
        self.assertTrue(read_bundle(out.getvalue()).not_read)


KEYS = [
    "blockdevices",
    "name",
    "size",
    "model",
    "serial",
    "tran",
    "rota",
    "rm",
    "type",
    "smartctl",
    "exit_status",
    "device",
    "model_name",
    "user_capacity",
    "bytes",
    "nvme_smart_health_information_log",
    "percentage_used",
    "ata_device_statistics",
    "pages",
    "table",
    "value",
    "power_on_time",
    "hours",
    "smart_status",
    "passed",
    "children",
    "class",
    "id",
    "description",
    "slot",
]
SHAPES = st.recursive(
    st.none()
    | st.booleans()
    | st.integers(-(10**40), 10**40)
    | st.floats(allow_nan=True, allow_infinity=True)
    | st.sampled_from(["", "8 GB", "0x1F", "NaN", "1e400", "-5", "\ud800", "9" * 60]),
    lambda inner: (
        st.lists(inner, max_size=3)
        | st.dictionaries(
            st.sampled_from(KEYS),
            inner,
            max_size=6,
        )
    ),
    max_leaves=12,
)


class Shapes(unittest.TestCase):
    """JSON of every shape in every tool's place: read as far as it goes, or named."""

    @few(120)
    @given(SHAPES, st.sampled_from(["lsblk.json", "smartctl-sda.json", "lshw.json"]))
    def test_any_shape_is_read_or_named(self, shape, name):
        text = json.dumps(shape)
        readout = read_bundle(zipped(**{name: text.encode("utf-8", "surrogatepass")}))
        for drive in readout.drives:
            self.assertLessEqual(drive.gb or 0, 200_000)
            self.assertLessEqual(drive.life_percent or 0, 100)
            self.assertGreaterEqual(drive.life_percent or 0, 0)

    def lsblk(self, **device):
        told = {"name": "sda", "size": 256060514304, "type": "disk", "rota": False} | device
        return read_bundle(zipped(**{"lsblk.json": json.dumps({"blockdevices": [told]}).encode()}))

    def test_figures_that_no_machine_has_are_none(self):
        for size in (10**30, -1, float("inf"), float("nan"), True, [1], {"a": 1}, "9" * 40 + "G"):
            self.assertEqual(self.lsblk(size=size).drives, (), size)

    def test_a_virtual_machines_disk_is_no_drive(self):
        for device in ({"name": "vda"}, {"model": "QEMU HARDDISK", "rota": True}):
            self.assertEqual(self.lsblk(**device).drives, (), device)

    def test_another_tools_text_claims_nothing(self):
        for text in ('{"smartctl": {}}', "[]", "lsblk: command not found", '{"blockdevices": 5}'):
            readout = read_bundle(zipped(**{"lsblk.json": text.encode()}))
            self.assertFalse(readout.drives_read, text)
        for text in ("upower: command not found", "Permission denied", "{}"):
            readout = read_bundle(zipped(**{"upower.txt": text.encode()}))
            self.assertFalse(readout.packs_read, text)

    def test_a_list_cut_in_the_middle_of_a_module_offers_no_empty_slot(self):
        whole = (
            "Handle 0x0040, DMI type 17, 40 bytes\nMemory Device\n\tSize: 8 GB\n"
            "\tForm Factor: SODIMM\n\tLocator: DIMM A\n\tType: DDR4\n\tSpeed: 2666 MT/s\n\n"
        )
        cut = "Handle 0x0041, DMI type 17, 40 bytes\nMemory Device\n\tArray Handle: 0x0039\n\tTot"
        head = "# dmidecode 3.3\nGetting SMBIOS data from sysfs.\n\n"
        good = read_bundle(zipped(**{"dmidecode.txt": (head + whole).encode()}))
        self.assertTrue(good.memory_read)
        readout = read_bundle(zipped(**{"dmidecode.txt": (head + whole + cut).encode()}))
        empty = [module for module in readout.memory if module.gb is None]
        self.assertEqual(empty, [])

    def test_a_pack_that_only_the_firmware_knows_is_asked_about(self):
        table = (
            "# dmidecode 3.3\n\nHandle 0x0050, DMI type 22, 26 bytes\nPortable Battery\n"
            "\tName: OF-47\n\tDesign Capacity: 46620 mWh\n\tDesign Voltage: 11100 mV\n"
            "\tSerial Number: 77\n\n"
        )
        empty = "Device: /org/freedesktop/UPower/devices/line_power_AC\n  native-path: AC\n"
        files = {"dmidecode.txt": table.encode(), "upower.txt": empty.encode()}
        readout = read_bundle(zipped(**files))
        self.assertFalse(readout.packs_read)
        self.assertTrue(any("47 Wh" in asked for asked in readout.questions))

    def test_a_drive_with_serials_written_differently_is_one_drive(self):
        device = {"name": "nvme0n1", "size": 256060514304, "type": "disk", "serial": "S3X1-77 AB99"}
        smart = {
            "smartctl": {"exit_status": 0},
            "device": {"name": "/dev/nvme1", "protocol": "NVMe"},
            "model_name": "Drive",
            "serial_number": "S3X177AB99",
        }
        files = {
            "lsblk.json": json.dumps({"blockdevices": [device]}).encode(),
            "smartctl-nvme1.json": json.dumps(smart).encode(),
        }
        readout = read_bundle(zipped(**files))
        self.assertEqual((len(readout.drives), readout.questions), (1, ()))
