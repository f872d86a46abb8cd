"""What there is to choose from, who can do the work, and what an option costs besides its parts."""

import unittest

from demo.generator import make_case
from sortis_core.actions import Action, after_actions, board_tests
from sortis_core.facts.memory import channel_amounts, even_channels
from sortis_core.options import OptionBuilder, OutcomeKind
from sortis_core.options.dominance import worth_a_variable
from sortis_core.options.harvest import harvestable
from sortis_core.plan.sources import Need, sources_of
from sortis_core.policy import Policy
from sortis_core.route.minutes import PART_OUTSIDE_MINUTES, RouteMinutes, Skill
from sortis_core.sheets import BOARD
from sortis_core.stock import Condition, Lot, Offer, PriceBreak
from sortis_core.supply import Supply
from tests.core.sample import FOLIO, KINDS, SHEETS, STANDARDS, STILT, folio, found, stilt
from tests.core.test_plan import case_of

ALL = Supply(KINDS, frozenset(KINDS))
HALYARD = SHEETS["quarrin-halyard-14"]
POLICY = Policy()


def offer(**more) -> Offer:
    told = {"key": "o", "kind": "speaker-qs2", "supplier": "S", "price_cents": 500, "limit": 9}
    return Offer(**(told | {"days": 2} | more))


def lot(**more) -> Lot:
    told = {"key": "l", "kind": "speaker-qs2", "place": "A", "count": 2, "unit_cost_cents": 300}
    return Lot(**(told | {"condition": Condition.NEW} | more))


class Prices(unittest.TestCase):
    def test_a_break_holds_from_its_count_on_whatever_their_order(self):
        steps = (
            PriceBreak(from_count=8, price_cents=300),
            PriceBreak(from_count=3, price_cents=400),
        )
        told = offer(breaks=steps)
        self.assertEqual(
            [told.each_cents(n) for n in (1, 2, 3, 7, 8, 9)], [500, 500, 400, 400, 300, 300]
        )
        self.assertEqual(told.lowest_cents, 300)
        # A break beyond what can be had is no price.
        self.assertEqual(offer(breaks=steps, limit=7).lowest_cents, 400)

    def test_what_can_be_used_is_here_in_time_tested_and_wiped(self):
        lots = (
            lot(key="now"),
            lot(key="late", days=20),
            lot(key="untried", condition=Condition.HARVESTED_UNTESTED),
            lot(key="unwiped", condition=Condition.AWAITING_SANITISING),
            lot(key="none", count=0),
        )
        offers = (offer(key="soon"), offer(key="slow", days=11), offer(key="part", pack_size=10))
        case = case_of(stilt(), lots=lots, offers=offers).model_copy(update={"days": 10})
        self.assertEqual([one.key for one in case.usable_lots()], ["now"])
        self.assertEqual([one.key for one in case.usable_offers()], ["soon"])
        without = case.model_copy(update={"days": None})
        self.assertEqual([one.key for one in without.usable_lots()], ["now", "late"])

    def test_a_source_serves_whoever_may_wait_and_asks_for_no_newer(self):
        case = case_of(
            stilt(),
            lots=(lot(key="used", condition=Condition.HARVESTED_TESTED), lot(key="coming", days=6)),
            offers=(offer(key="shop", pack_size=4),),
        )
        sources = {source.key: source for source in sources_of(case)}
        self.assertEqual(sources["shop"].limit, 8)
        for key, need, serves in (
            ("used", Need(False, None), True),
            ("used", Need(True, None), False),
            ("used", Need(False, 0), True),
            ("coming", Need(True, None), True),
            ("coming", Need(False, 5), False),
            ("coming", Need(True, 6), True),
            ("shop", Need(True, 2), True),
            ("shop", Need(True, 1), False),
        ):
            with self.subTest(key=key, need=need):
                self.assertEqual(sources[key].serves(need), serves)


class Kinds(unittest.TestCase):
    def test_what_is_found_in_a_unit_is_known_as_a_kind_of_the_store(self):
        unit = stilt(m1="8", m2="4", d1="h500")
        self.assertEqual(ALL.module_kind(unit.module("m1"), STILT), "sodimm-ddr4-8")
        self.assertEqual(ALL.module_kind(unit.module("m2"), STILT), "sodimm-ddr4-4")
        bay = STILT.drives_of("std")[0]
        self.assertEqual(ALL.drive_kind(unit.drive("d1"), bay), "disk-500-bay")
        self.assertEqual(ALL.module_kind(stilt(m1="2").module("m1"), STILT), "")

    def test_a_bracket_helps_a_drive_whose_length_alone_is_refused(self):
        socket = next(drive for drive in STILT.drives if drive.key == "d2")
        drives = dict(ALL.drives)
        self.assertEqual(ALL.bracket_for(drives["nvme-256-2242"], socket), "bracket-2242-2280")
        self.assertEqual(ALL.bracket_for(drives["sata-256-bay"], socket), "")
        without = Supply(KINDS, frozenset(KINDS) - {"bracket-2242-2280"})
        self.assertEqual(without.bracket_for(drives["nvme-256-2242"], socket), "")

    def test_channels_are_even_when_all_hold_the_same(self):
        for entries, even in (({"m1": "8", "m2": "8"}, True), ({"m1": "8", "m2": "4"}, False)):
            unit = stilt(**entries)
            self.assertEqual(even_channels(STILT, unit, channel_amounts(STILT, unit)), even)
        self.assertFalse(even_channels(STILT, stilt(m2="-"), {"m1": 8}))
        self.assertTrue(even_channels(STILT, stilt(m2="dead"), {"m1": 8}))
        unit = folio(m0="8", m1="8")
        self.assertTrue(even_channels(FOLIO, unit, channel_amounts(FOLIO, unit)))


class Work(unittest.TestCase):
    def test_an_opening_that_changes_the_board_is_board_work_as_a_whole(self):
        board = Action(verb="fit", place=BOARD, kind="board-16-qh14", takes_out_label="old board")
        drive = Action(verb="fit", place="d1", kind="nvme-256-2280", installs_system=True)
        reckon = RouteMinutes(HALYARD, POLICY)
        skills = {one.skill: one.minutes for one in reckon.by_skill(found(HALYARD), (board, drive))}
        self.assertEqual(set(skills), {Skill.BOARD, Skill.SETUP})
        self.assertEqual(skills[Skill.SETUP], POLICY.install_minutes)
        self.assertAlmostEqual(sum(skills.values()), reckon.of(found(HALYARD), (board, drive)))
        alone = {one.skill for one in reckon.by_skill(found(HALYARD), (drive,))}
        self.assertEqual(alone, {Skill.BENCH, Skill.SETUP})

    def test_paste_is_used_up_where_the_cooler_comes_off_and_nowhere_else(self):
        reckon = RouteMinutes(HALYARD, POLICY)
        board = Action(verb="fit", place=BOARD, kind="board-16-qh14")
        tray = Action(verb="fit", place="sim_tray", kind="sim-tray-qh14")
        self.assertGreater(reckon.consumables_cents(found(HALYARD), (board,)), 0)
        self.assertEqual(reckon.consumables_cents(found(HALYARD), (tray,)), 0)

    def test_a_part_without_a_route_goes_in_from_outside(self):
        feet = Action(verb="fit", place="no_such_place", kind="feet-small")
        self.assertEqual(RouteMinutes(STILT, POLICY).at_part(feet), PART_OUTSIDE_MINUTES)

    def test_another_board_brings_its_memory_and_mends_the_start(self):
        dead = found(HALYARD, m0="8", m1="8", d1="n256", p1="48/50 90c", starts="x")
        self.assertEqual(board_tests(HALYARD), ("starts",))
        board = Action(verb="fit", place=BOARD, kind="board-16-qh14", takes_out_label="old board")
        after = after_actions(HALYARD, dead, (board,), KINDS)
        self.assertEqual((after.soldered_gb, after.starts), (16, True))
        self.assertEqual(after.module("m1"), dead.module("m1"))


class Costs(unittest.TestCase):
    def builder(self, sheet=STILT, policy=POLICY):
        return OptionBuilder(sheet, ALL, STANDARDS, policy)

    def donor(self, findings):
        builder = self.builder(SHEETS[findings.sheet])
        near = builder.toward_standards(findings)
        prices = dict.fromkeys(KINDS, 1000)
        works = harvestable(builder.sheet, findings, ALL, POLICY)
        far = builder.other_ends(findings, near, frozenset(KINDS), prices, works)
        option = next(o for o in far.options if o.outcome is OutcomeKind.DONOR)
        boards = [n for n, action in enumerate(option.actions) if action.place == BOARD]
        return option.given([n for n in range(len(option.pieces)) if n not in boards])

    def test_what_comes_out_of_a_dead_unit_costs_a_test_each(self):
        alive, dead = self.donor(stilt()), self.donor(stilt(starts="x"))
        tested = dead.minutes - alive.minutes
        self.assertAlmostEqual(tested, len(dead.actions) * POLICY.part_test_minutes)
        self.assertGreater(dead.labour_cents, alive.labour_cents)

    def test_a_replaced_pack_is_handed_over_for_a_fee(self):
        worn = folio(p1="20/46 90c")
        (option, *_) = [o for o in self.builder(FOLIO).toward_standards(worn).options if o.actions]
        self.assertGreaterEqual(option.fees_cents, POLICY.pack_disposal_cents)
        free = Policy(pack_disposal_cents=0)
        (other, *_) = [
            o
            for o in self.builder(FOLIO, free).toward_standards(folio(p1="20/46 9c")).options
            if o.actions
        ]
        self.assertEqual(option.fees_cents - other.fees_cents, POLICY.pack_disposal_cents)

    def test_a_dearer_standard_that_costs_no_more_leaves_the_cheaper_without_a_variable(self):
        options = self.builder().toward_standards(stilt()).options
        standards = [option.standard for option in options]
        self.assertEqual(sorted(standards), ["class-set", "desk-ready", "field-ready"])
        kept = [standards[o] for o in worth_a_variable(options, frozenset())]
        self.assertEqual(kept, ["field-ready"])
        asked = [standards[o] for o in worth_a_variable(options, frozenset({"class-set"}))]
        self.assertEqual(sorted(asked), ["class-set", "field-ready"])

    def test_generated_clearances_come_out_the_same_again(self):
        self.assertEqual(make_case(4, 9), make_case(4, 9))
        self.assertNotEqual(make_case(4, 9), make_case(5, 9))
