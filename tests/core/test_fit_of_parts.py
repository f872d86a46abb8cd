"""What goes where: every fact of a part that decides whether it fits a place."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from sortis_core.sheets import (
    Connector,
    DrivePlace,
    Generation,
    Interface,
    Memory,
    MemoryCeiling,
    MemorySlot,
    ModuleForm,
    PackPlace,
    PackVariant,
)
from sortis_core.stock import DriveFacts, ModuleFacts, PackFacts

SLOT = MemorySlot(key="m1", label="Slot 1", limit_gb=16, channel="A")


def board(**more) -> Memory:
    base = {
        "generation": Generation.DDR4,
        "form": ModuleForm.SODIMM,
        "mts": 2666,
        "slots": (SLOT,),
        "stated": MemoryCeiling(gb=32, source="manual"),
    }
    return Memory(**(base | more))


def module(**more) -> ModuleFacts:
    return ModuleFacts(**({"gb": 8, "generation": Generation.DDR4, "mts": 3200} | more))


def socket(**more) -> DrivePlace:
    base = {
        "key": "d1",
        "label": "M.2 socket",
        "connector": Connector.M2,
        "interfaces": (Interface.NVME,),
        "lengths_mm": (2280,),
        "limit_gb": 1000,
    }
    return DrivePlace(**(base | more))


def drive(**more) -> DriveFacts:
    base = {"gb": 256, "connector": Connector.M2, "interface": Interface.NVME, "length_mm": 2280}
    return DriveFacts(**(base | more))


class Modules(unittest.TestCase):
    def test_a_faster_module_fits_and_simply_runs_slower(self):
        self.assertEqual(module(mts=3200).refusal(board(), SLOT), "")

    def test_generations_never_mix(self):
        for generation in Generation:
            refusal = module(generation=generation).refusal(board(), SLOT)
            self.assertEqual(bool(refusal), generation is not Generation.DDR4, generation)

    def test_full_size_modules_stay_out_of_laptops(self):
        self.assertIn("takes SODIMM", module(form=ModuleForm.DIMM).refusal(board(), SLOT))

    def test_low_voltage_boards_refuse_standard_voltage(self):
        low = board(generation=Generation.DDR3L, low_voltage_only=True)
        standard = module(generation=Generation.DDR3L, low_voltage=False)
        self.assertIn("low-voltage", standard.refusal(low, SLOT))
        self.assertEqual(module(generation=Generation.DDR3L).refusal(low, SLOT), "")

    def test_the_slot_has_a_limit_of_its_own(self):
        self.assertIn("up to 16 GB", module(gb=32).refusal(board(), SLOT))

    def test_the_higher_of_two_ceilings_counts_only_when_asked(self):
        proven = board(proven=MemoryCeiling(gb=64, source="bench", units_on_record=4))
        self.assertEqual(proven.ceiling(bench_proven=True).gb, 64)
        self.assertEqual(proven.ceiling(bench_proven=False).gb, 32)
        lower = board(proven=MemoryCeiling(gb=16, source="bench", units_on_record=9))
        self.assertEqual(lower.ceiling(bench_proven=True).gb, 32)


class Drives(unittest.TestCase):
    def test_sata_and_nvme_differ_in_one_shape_of_socket(self):
        self.assertIn("speaks NVMe", drive(interface=Interface.SATA).refusal(socket()))
        either = socket(interfaces=(Interface.NVME, Interface.SATA))
        self.assertEqual(drive(interface=Interface.SATA).refusal(either), "")

    def test_msata_never_fits_m2_nor_the_other_way(self):
        small = drive(connector=Connector.MSATA, interface=Interface.SATA, length_mm=None)
        self.assertIn("is M.2", small.refusal(socket(interfaces=(Interface.SATA,))))
        old = socket(connector=Connector.MSATA, interfaces=(Interface.SATA,), lengths_mm=())
        self.assertIn("is mSATA", drive(interface=Interface.SATA).refusal(old))
        self.assertEqual(small.refusal(old), "")

    def test_a_length_needs_its_standoff(self):
        self.assertIn("standoff for 2280", drive(length_mm=2242).refusal(socket()))
        two = socket(lengths_mm=(2242, 2280))
        self.assertEqual(drive(length_mm=2242).refusal(two), "")

    def test_single_sided_sockets_refuse_double_sided_drives(self):
        flat = socket(single_sided_only=True)
        self.assertIn("single-sided", drive(double_sided=True).refusal(flat))
        self.assertEqual(drive().refusal(flat), "")

    def test_a_bay_has_a_height(self):
        bay = socket(
            connector=Connector.BAY, interfaces=(Interface.SATA,), lengths_mm=(), height_mm=7
        )
        tall = drive(
            connector=Connector.BAY, interface=Interface.SATA, length_mm=None, height_mm=9.5
        )
        self.assertIn("7 mm high; the drive 9.5", tall.refusal(bay))
        self.assertEqual(tall.model_copy(update={"height_mm": 7.0}).refusal(bay), "")

    def test_the_makers_statement_limits_the_size(self):
        self.assertIn("up to 1000 GB", drive(gb=2000).refusal(socket()))

    def test_emmc_is_soldered_and_takes_nothing(self):
        soldered = socket(connector=Connector.EMMC, interfaces=(Interface.EMMC,), lengths_mm=())
        self.assertIn("is eMMC", drive().refusal(soldered))

    @given(
        st.sampled_from(list(Connector)),
        st.sampled_from([Interface.SATA, Interface.NVME]),
        st.sampled_from([None, 2230, 2242, 2260, 2280]),
        st.integers(32, 4000),
    )
    def test_what_is_accepted_agrees_in_every_fact(self, connector, interface, length, gb):
        place = socket(lengths_mm=(2242, 2280))
        part = drive(connector=connector, interface=interface, length_mm=length, gb=gb)
        if not part.refusal(place):
            self.assertIs(connector, Connector.M2)
            self.assertIs(interface, Interface.NVME)
            self.assertIn(length, (2242, 2280))
            self.assertLessEqual(gb, 1000)


class Packs(unittest.TestCase):
    def test_a_place_takes_its_families_only(self):
        place = PackPlace(
            key="p1",
            label="Pack",
            variants=(
                PackVariant(family="A-40", design_wh=40, volts=11.4, cells=3),
                PackVariant(family="A-60", design_wh=60, volts=11.4, cells=3),
            ),
        )
        self.assertEqual(PackFacts(family="A-60", design_wh=60).refusal(place), "")
        self.assertIn("takes A-40, A-60", PackFacts(family="B-40", design_wh=40).refusal(place))
