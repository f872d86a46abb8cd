import unittest

from sortis_core.options import OptionBuilder, OutcomeKind
from sortis_core.options.harvest import harvestable
from sortis_core.policy import HarvestSchool, MemorySchool, Policy
from sortis_core.supply import Supply
from tests.core.sample import FOLIO, KINDS, LERN, STANDARDS, STILT, folio, lern, stilt

ALL = frozenset(KINDS)
PRICES = dict.fromkeys(KINDS, 1000)


def toward(sheet, findings, *, obtainable=ALL, policy=None):
    builder = OptionBuilder(sheet, Supply(KINDS, obtainable), STANDARDS, policy or Policy())
    return builder.toward_standards(findings)


def actions(found, standard):
    return [
        {action.key for action in option.actions}
        for option in found.options
        if option.standard == standard
    ]


def fact(found, standard):
    return next(r.fact for r in found.rejections if r.standard == standard)


class Memory(unittest.TestCase):
    def test_a_free_slot_takes_one_module_and_nothing_more(self):
        found = actions(toward(STILT, stilt(m2="-")), "field-ready")
        self.assertIn({"m2+sodimm-ddr4-8"}, found)
        self.assertNotIn({"m1+sodimm-ddr4-8", "m2+sodimm-ddr4-8"}, found)

    def test_a_filling_keeps_to_the_ceiling_of_the_school(self):
        soldered = folio(m0="8", m1="4")
        stated = actions(toward(FOLIO, soldered), "field-ready")
        self.assertEqual(stated, [{"m1+sodimm-ddr4-8"}])
        policy = Policy(memory_ceiling=MemorySchool.BENCH_PROVEN)
        proven = actions(toward(FOLIO, soldered, policy=policy), "field-ready")
        self.assertIn({"m1+sodimm-ddr4-16"}, proven)

    def test_soldered_memory_is_a_fact_against_the_standard(self):
        boards = frozenset(key for key in ALL if key.startswith("board-"))
        alone = toward(LERN, lern(m0="4"), obtainable=ALL - boards)
        self.assertIn("soldered at 4 GB", fact(alone, "desk-ready"))
        self.assertIn({"board+board-8-tl11"}, actions(toward(LERN, lern(m0="4")), "desk-ready"))

    def test_a_faulty_module_is_replaced_or_comes_out(self):
        found = actions(toward(STILT, stilt(m1="x", m2="8")), "field-ready")
        self.assertIn({"m1-", "m2+sodimm-ddr4-16"}, found)
        self.assertIn({"m1+sodimm-ddr4-8"}, found)
        self.assertFalse([way for way in found if not any(key.startswith("m1") for key in way)])

    def test_the_displaced_module_is_yielded(self):
        options = toward(STILT, stilt(m1="4", m2="8")).options
        given = {o.key: {part.kind for part in o.yields} for o in options}
        self.assertEqual(given["fit field-ready m1+sodimm-ddr4-8"], {"sodimm-ddr4-4"})

    def test_what_comes_out_is_told_apart_by_its_speed_within_one_builder(self):
        """The gate looks at sizes; the store knows 4 GB modules of one speed only."""
        builder = OptionBuilder(STILT, Supply(KINDS, ALL), STANDARDS, Policy())
        speed = KINDS["sodimm-ddr4-4"].facts.mts
        for mts, given in ((speed, {"sodimm-ddr4-4"}), (speed + 800, set())):
            unit = stilt(m1=f"4 {mts}", m2="8")
            options = {o.key: o for o in builder.toward_standards(unit).options}
            option = options["fit field-ready m1+sodimm-ddr4-8"]
            self.assertEqual({part.kind for part in option.yields}, given)


class Drives(unittest.TestCase):
    def test_a_spinning_disk_comes_out_when_a_solid_drive_goes_in(self):
        found = actions(toward(STILT, stilt(d1="h500")), "desk-ready")
        self.assertIn({"d1+sata-256-bay"}, found)
        self.assertIn({"d2+nvme-256-2280", "d1-"}, found)

    def test_filling_the_bay_brings_its_missing_kit(self):
        bare = folio(d1="-", bay_cable="-", bay_frame="+", bay_screws="+")
        found = actions(toward(FOLIO, bare), "desk-ready")
        self.assertIn({"d2+sata-256-bay", "bay_cable+bay-cable-of15"}, found)

    def test_a_length_without_standoff_is_refused_with_the_fact(self):
        only = frozenset({"m2-sata-128-2242"})
        found = toward(STILT, stilt(d1="-"), obtainable=only)
        self.assertIn("standoff for 2280", fact(found, "class-set"))

    def test_a_new_drive_needs_its_system(self):
        option = next(o for o in toward(STILT, stilt(d1="-")).options)
        self.assertEqual(sum(action.installs_system for action in option.actions), 1)


class Price(unittest.TestCase):
    def test_an_option_sold_for_a_price_is_the_same_way(self):
        for option in toward(STILT, stilt(m1="4", m2="8")).options:
            self.assertTrue(option.key and option.taken is not None and option.freed is not None)
            dearer = option.sold_for(1_234)
            update = {"price_cents": option.price_cents + 1_234}
            self.assertEqual(dearer, option.model_copy(update=update))
            for worked_out in ("key", "taken", "freed", "moved", "net_cents"):
                self.assertEqual(
                    getattr(dearer, worked_out),
                    getattr(option.model_copy(update=update), worked_out),
                )


class Others(unittest.TestCase):
    def test_a_failed_test_without_repair_rules_every_standard_out(self):
        found = toward(LERN, lern(starts="x"))
        self.assertEqual(found.options, ())
        self.assertIn("not worth it", fact(found, "class-set"))

    def test_what_is_unknown_must_be_looked_at_first(self):
        self.assertIn("look first", fact(toward(STILT, stilt(speaker="?")), "desk-ready"))

    def test_a_complete_unit_is_released_without_actions(self):
        option = next(o for o in toward(STILT, stilt()).options if o.standard == "field-ready")
        self.assertEqual(
            (option.outcome, option.minutes), (OutcomeKind.RELEASE, Policy().cleaning_minutes)
        )

    def test_no_grade_no_price(self):
        self.assertIn("grade", fact(toward(STILT, stilt(grade="?")), "desk-ready"))

    def test_a_part_nobody_has_is_the_fact(self):
        found = toward(STILT, stilt(speaker="-"), obtainable=frozenset())
        self.assertIn("Speaker is missing and there is none", fact(found, "desk-ready"))

    def test_a_donor_gives_only_what_is_wanted_and_never_packs_or_drives(self):
        builder = OptionBuilder(FOLIO, Supply(KINDS, ALL), STANDARDS, Policy())
        near = builder.toward_standards(folio(starts="x"))
        wanted = frozenset({"sodimm-ddr4-8", "pack-of-47"})
        works = harvestable(FOLIO, folio(starts="x"), Supply(KINDS, ALL), Policy())
        far = builder.other_ends(folio(starts="x"), near, wanted, PRICES, works)
        donor = next(o for o in far.options if o.outcome is OutcomeKind.DONOR)
        self.assertEqual([part.kind for part in donor.yields], ["sodimm-ddr4-8"])

    def test_what_could_be_sold_is_never_recycled_and_what_could_not_is_never_held(self):
        builder = OptionBuilder(FOLIO, Supply(KINDS, ALL), STANDARDS, Policy())
        for found, end in (
            (folio(d1="-"), OutcomeKind.HOLD),
            (folio(starts="x"), OutcomeKind.RECYCLE),
        ):
            near = builder.toward_standards(found)
            works = harvestable(FOLIO, found, Supply(KINDS, ALL), Policy())
            far = builder.other_ends(found, near, ALL, PRICES, works)
            ends = {option.outcome for option in far.options}
            self.assertEqual(ends - {OutcomeKind.DONOR}, {end})

    def test_new_parts_only_leaves_no_donor(self):
        policy = Policy(harvest=HarvestSchool.NEW_ONLY)
        builder = OptionBuilder(FOLIO, Supply(KINDS, ALL), STANDARDS, policy)
        works = harvestable(FOLIO, folio(), Supply(KINDS, ALL), policy)
        far = builder.other_ends(folio(), builder.toward_standards(folio()), ALL, PRICES, works)
        self.assertNotIn(OutcomeKind.DONOR, {o.outcome for o in far.options})
