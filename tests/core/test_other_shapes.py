"""The types say what shapes of machine beyond the demo's three need, and the rules follow."""

import unittest

from sortis_core.actions import Action
from sortis_core.assess import assess
from sortis_core.facts.battery import battery_facts
from sortis_core.facts.completeness import lacking_parts
from sortis_core.facts.storage import storage_facts
from sortis_core.findings import Findings, PartState
from sortis_core.gates.verdict import GateState
from sortis_core.intake.entry import read_entries, write_entries
from sortis_core.options import OptionBuilder, OutcomeKind
from sortis_core.plan import Case, CaseUnit, make_plan
from sortis_core.plan.verify import faults
from sortis_core.policy import Policy
from sortis_core.route.work import plan_work
from sortis_core.sheets import ModelSheet
from sortis_core.standards import Price
from sortis_core.stock import Condition, Lot, PartKind
from sortis_core.strip import Mark, draw_strip
from sortis_core.supply import Supply
from tests.core.sample import DESK, FOLIO, KINDS, SHEETS, STANDARDS, folio, found
from tests.core.test_plan import case_of

POLICY = Policy()


def shape(**parts) -> ModelSheet:
    """The Folio's sheet with other parts, under a key of its own; new ones lie outside."""
    sheet = ModelSheet.model_validate(FOLIO.model_dump() | {"key": "shape"} | parts)
    outside = tuple(p.key for p in sheet.places if sheet.route.reach(p.key) is None)
    return sheet.model_copy(update={"route": sheet.route.model_copy(update={"outside": outside})})


def complete(sheet: ModelSheet, trim: str = "", **entries: str) -> Findings:
    trim = trim or sheet.trims[0].key
    findings, refusals = read_entries(sheet, trim, {"grade": "b", "*": "+"} | entries)
    assert not refusals, refusals
    return findings


def kind(key: str, **facts) -> PartKind:
    return PartKind.model_validate({"key": key, "label": key, "facts": facts})


def priced(sheet: ModelSheet):
    price = Price(sheet=sheet.key, grade="B", price_cents=15_000)
    return tuple(s.model_copy(update={"prices": (*s.prices, price)}) for s in STANDARDS)


def options(sheet: ModelSheet, findings: Findings, kinds: dict[str, PartKind] | None = None):
    known = KINDS | (kinds or {})
    builder = OptionBuilder(sheet, Supply(known, frozenset(known)), priced(sheet), POLICY)
    return builder.toward_standards(findings)


def ways(found, standard="desk-ready"):
    return [
        {action.key for action in option.actions}
        for option in found.options
        if option.standard == standard
    ]


class TwoPacks(unittest.TestCase):
    """A thin internal pack and an external one in three sizes, with a bridge."""

    def setUp(self):
        inner = {"family": "I-24", "design_wh": 24.0, "volts": 11.4, "cells": 3}
        outer = [
            {"family": f"X-{wh}", "design_wh": float(wh), "volts": 11.1, "cells": cells}
            for wh, cells in ((24, 3), (48, 6), (72, 6))
        ]
        self.sheet = shape(
            packs=(
                {"key": "p1", "label": "Internal pack", "variants": (inner,)},
                {"key": "p2", "label": "External pack", "external": True, "variants": outer},
            )
        )
        self.base = {"m0": "8", "m1": "8", "d1": "n256", "d2": "-"}

    def test_each_is_judged_alone_and_runtime_comes_from_the_sum(self):
        findings = complete(self.sheet, **self.base, p1="20/24 90c", p2="12/48 90c")
        facts = battery_facts(self.sheet, findings)
        self.assertEqual([round(p.health_percent, 1) for p in facts.packs], [83.3, 25.0])
        self.assertEqual(facts.runtime_hours, 4.0)
        verdict = assess(self.sheet, findings, (DESK,), POLICY).verdicts[0]
        pack = next(g for g in verdict.gates if g.gate == "pack")
        self.assertEqual((pack.state, pack.places), (GateState.SHORT, ("p2",)))

    def test_only_the_short_one_is_replaced_by_any_of_its_sizes(self):
        kinds = {
            f"x-{wh}": kind(f"x-{wh}", type="pack", family=f"X-{wh}", design_wh=wh)
            for wh in (24, 48, 72)
        }
        findings = complete(self.sheet, **self.base, p1="20/24 90c", p2="12/48 90c")
        found = ways(options(self.sheet, findings, kinds))
        self.assertEqual(found, [{"p2+x-24"}, {"p2+x-48"}, {"p2+x-72"}])

    def test_a_size_must_be_said_where_there_are_several(self):
        _, refusals = read_entries(self.sheet, "disk", {"p2": "40"})
        self.assertIn("24, 48, 72 Wh", refusals["p2"])

    def test_the_strip_draws_them_in_proportion(self):
        findings = complete(self.sheet, **self.base, p1="20/24 90c", p2="60/72 90c")
        cells = {c.key: c for c in draw_strip(self.sheet, findings, STANDARDS).cells}
        self.assertLess(cells["p1"].length, cells["p2"].length)
        self.assertEqual(cells["p2"].length, 1.0)


class SmallSockets(unittest.TestCase):
    """eMMC on the board beside an empty socket; mSATA; a radio socket that takes a drive."""

    def sheet(self, *drives) -> ModelSheet:
        parts = tuple(p for p in FOLIO.model_dump()["parts"] if not p["only_with_drive_in"])
        return shape(drives=drives, parts=parts)

    def test_emmc_is_present_but_meets_no_solid_gate_and_the_socket_is_the_way(self):
        sheet = self.sheet(
            {
                "key": "e1",
                "label": "eMMC",
                "connector": "eMMC",
                "interfaces": ("eMMC",),
                "limit_gb": 128,
            },
            FOLIO.model_dump()["drives"][0],
        )
        findings = complete(sheet, m0="8", m1="8", e1="e64", d1="-", p1="43/46 90c")
        facts = storage_facts(sheet, findings)
        self.assertEqual((facts.emmc, facts.solid_gb), (("e1",), 0))
        self.assertIn("does not count", facts.sentence)
        for way in ways(options(sheet, findings)):
            self.assertTrue(all(key.startswith("d1+nvme") for key in way), way)

    def test_msata_takes_only_its_own(self):
        sheet = self.sheet(
            {
                "key": "d1",
                "label": "mSATA socket",
                "connector": "mSATA",
                "interfaces": ("SATA",),
                "limit_gb": 256,
            }
        )
        findings = complete(sheet, m0="8", m1="8", d1="-", p1="43/46 90c")
        self.assertEqual(ways(options(sheet, findings)), [])
        own = kind("msata-256", type="drive", gb=256, connector="mSATA", interface="SATA")
        self.assertEqual(ways(options(sheet, findings, {own.key: own})), [{"d1+msata-256"}])

    def test_a_radio_socket_takes_a_short_single_sided_drive(self):
        sheet = self.sheet(
            {
                "key": "d1",
                "label": "Radio socket",
                "connector": "m2",
                "limit_gb": 512,
                "interfaces": ("NVMe",),
                "lengths_mm": (2242,),
                "single_sided_only": True,
                "shared_with_radio": True,
            }
        )
        thick = kind(
            "n-thick",
            type="drive",
            gb=256,
            connector="m2",
            interface="NVMe",
            length_mm=2242,
            double_sided=True,
        )
        flat = kind(
            "n-flat", type="drive", gb=256, connector="m2", interface="NVMe", length_mm=2242
        )
        findings = complete(sheet, m0="8", m1="8", d1="-", p1="43/46 90c")
        found = ways(options(sheet, findings, {"n-thick": thick, "n-flat": flat}))
        self.assertIn({"d1+n-flat"}, found)
        self.assertNotIn({"d1+n-thick"}, found)


class Sets(unittest.TestCase):
    """Parts that go together, and parts that only some trims have."""

    def setUp(self):
        parts = [
            {
                "key": "panel",
                "label": "Touch panel",
                "kind": "panel-of15",
                "goes_with": ("cable",),
                "trims": ("disk",),
            },
            {"key": "cable", "label": "Touch cable", "kind": "speakers-of15", "trims": ("disk",)},
            {"key": "feet", "label": "Feet", "kind": "feet-small"},
        ]
        drives = ({**FOLIO.model_dump()["drives"][0]},)
        self.sheet = shape(parts=parts, drives=drives)
        self.base = {"m0": "8", "m1": "8", "d1": "n256", "p1": "43/46 90c"}

    def test_a_broken_panel_brings_its_cable(self):
        findings = complete(self.sheet, "disk", **self.base, panel="x", cable="+")
        lacking = [part.key for part in lacking_parts(self.sheet, findings)]
        self.assertEqual(lacking, ["panel", "cable"])
        self.assertEqual(
            ways(options(self.sheet, findings)), [{"panel+panel-of15", "cable+speakers-of15"}]
        )

    def test_a_missing_cable_alone_leaves_the_panel(self):
        findings = complete(self.sheet, "disk", **self.base, cable="-")
        self.assertEqual(ways(options(self.sheet, findings)), [{"cable+speakers-of15"}])

    def test_another_trim_does_not_have_them(self):
        findings = complete(self.sheet, "flash", **self.base)
        self.assertEqual(
            [c.key for c in draw_strip(self.sheet, findings, STANDARDS).cells if c.group == "part"],
            ["feet"],
        )
        _, refusals = read_entries(self.sheet, "flash", {"panel": "+"})
        self.assertIn("have none", refusals["panel"])


class Stripped(unittest.TestCase):
    """Nothing inside but the board."""

    def test_everything_is_fitted_in_one_opening_or_the_fact_is_said(self):
        findings = complete(
            FOLIO,
            "flash",
            m0="8",
            m1="-",
            d1="-",
            d2="-",
            p1="-",
            d1_screw="-",
            heat_sink="-",
            base_screws="-",
            sd_blank="-",
            feet="-",
            bay_cable="-",
            bay_frame="-",
            bay_screws="-",
        )
        found = [way for way in ways(options(FOLIO, findings), "desk-ready") if way]
        smallest = min(found, key=len)
        self.assertIn("p1+pack-of-47", smallest)
        self.assertIn("heat_sink+heat-sink-of15", smallest)
        option = next(
            o
            for o in options(FOLIO, findings).options
            if {a.key for a in o.actions} == smallest and o.standard == "desk-ready"
        )
        work = plan_work(FOLIO, findings, option.actions, KINDS, POLICY)
        done = {a.place for step in work.steps for a in step.actions}
        self.assertEqual(done, {a.place for a in option.actions})
        self.assertLess(work.minutes, work.minutes_apart)

    def test_nothing_in_it_is_worth_taking_out(self):
        findings = complete(
            FOLIO,
            "flash",
            starts="x",
            m0="8",
            m1="-",
            d1="-",
            d2="-",
            p1="-",
            **{p.key: "-" for p in FOLIO.parts_of("flash")},
        )
        case = Case(
            batch="x",
            policy=POLICY,
            money_cents=0,
            bench_minutes=600,
            sheets=(FOLIO,),
            standards=STANDARDS,
            kinds=tuple(KINDS.values()),
            lots=(),
            offers=(),
            units=(CaseUnit(tag="T-1", findings=findings),),
        )
        plan = make_plan(case)
        self.assertEqual(plan.outcomes[0].outcome, "recycle")
        facts = " ".join(r.fact for r in plan.groups[0].rejections)
        self.assertIn("Nothing that works in it is wanted", facts)


class Boards(unittest.TestCase):
    def test_variants_of_board_and_display_are_part_of_the_sheet(self):
        sheet = shape(
            boards=({"key": "mid", "label": "middle", "soldered_gb": 8, "kind": "board-mid"},),
            built_with=(
                {
                    "aspect": "built_panel",
                    "choices": [
                        {
                            "key": "touch",
                            "label": "touch",
                            "kind": "lid-touch",
                            "place": "screen",
                            "with_kinds": ("hinge-cover",),
                        }
                    ],
                },
            ),
            firmware_switches_pack_off=True,
        )
        again = ModelSheet.model_validate_json(sheet.model_dump_json())
        self.assertEqual(again, sheet)
        self.assertEqual(again.built_with[0].choices[0].with_kinds, ("hinge-cover",))

    def test_different_screw_sets_by_trim_are_steps_by_trim(self):
        route = FOLIO.route.model_dump()
        with_cage = {
            "key": "board_screws",
            "title": "Board out, with cage",
            "how": "",
            "back_title": "Back",
            "depth": "shield",
            "after": ("pack_unplug",),
            "minutes_out": 1,
            "minutes_back": 1,
            "screws": ({"count": 4, "drive": "cross-head PH1", "length_mm": 6},),
            "trims": ("disk",),
        }
        without = with_cage | {
            "key": "board_screws_bare",
            "title": "Board out, bare",
            "trims": ("flash", "lite"),
            "screws": ({"count": 5, "drive": "cross-head PH1", "length_mm": 4},),
        }
        route["steps"] = [*route["steps"], with_cage, without]
        route["reaches"] = [
            *route["reaches"],
            {"place": "feet", "after": ("board_screws", "board_screws_bare"), "minutes_in": 1},
        ]
        sheet = shape(route=route)
        action = Action(verb="fit", place="feet", kind="feet-small")
        for trim, key in (("disk", "board_screws"), ("lite", "board_screws_bare")):
            findings = complete(sheet, trim, m0="8", m1="8", d1="n256", d2="-", p1="43/46 90c")
            keys = {s.key for s in plan_work(sheet, findings, (action,), KINDS, POLICY).steps}
            self.assertIn(key, keys)
            self.assertEqual(len(keys & {"board_screws", "board_screws_bare"}), 1)

    def test_a_place_to_be_fitted_is_ringed(self):
        findings = complete(FOLIO, "flash", m0="8", m1="-", d1="n256", d2="-", p1="43/46 90c")
        action = Action(verb="fit", place="m1", kind="sodimm-ddr4-8")
        strip = draw_strip(FOLIO, findings, STANDARDS, KINDS, (action,))
        cell = next(c for c in strip.cells if c.key == "m1")
        self.assertEqual((cell.mark, cell.figure), (Mark.TO_FIT, "8"))


class ANewKindOfPart(unittest.TestCase):
    """A dust filter no code has heard of: a line on the sheet, a kind and a lot in the store."""

    def setUp(self):
        written = FOLIO.model_dump(mode="json")
        written["parts"].append({"key": "filter", "label": "Dust filter", "kind": "filter-of15"})
        written["route"]["reaches"].append(
            {
                "place": "filter",
                "after": ["pack_unplug"],
                "put_in": "It clips over the vent.",
                "minutes_in": 0.5,
            }
        )
        self.sheet = ModelSheet.model_validate(written)
        self.kind = PartKind.model_validate(
            {"key": "filter-of15", "label": "Dust filter OF15", "facts": {"type": "part"}}
        )

    def plan(self, lots: int):
        case = case_of(
            folio().model_copy(update={"parts": folio().parts | {"filter": PartState.MISSING}})
        )
        lot = Lot(
            key="lot-filter",
            kind="filter-of15",
            condition=Condition.NEW,
            place="B1",
            count=lots,
            unit_cost_cents=120,
        )
        case = case.model_copy(
            update={
                "sheets": (self.sheet,),
                "kinds": (*case.kinds, self.kind),
                "lots": (*case.lots, lot) if lots else case.lots,
            }
        )
        plan = make_plan(case)
        self.assertEqual(list(faults(case, plan)), [])
        return plan.outcomes[0]

    def test_it_is_typed_missed_planned_and_fitted(self):
        findings, refused = read_entries(self.sheet, "flash", {"filter": "-"})
        self.assertEqual((findings.part("filter"), refused), (PartState.MISSING, {}))
        cell = next(
            c for c in draw_strip(self.sheet, findings, STANDARDS).cells if c.key == "filter"
        )
        self.assertEqual((cell.label, cell.words), ("Dust filter", "missing"))
        outcome = self.plan(lots=1)
        self.assertEqual([a.kind for a in outcome.actions], ["filter-of15"])
        self.assertIs(outcome.outcome, OutcomeKind.FIT)
        kinds = {"filter-of15": self.kind}
        work = plan_work(self.sheet, folio(), outcome.actions, kinds, Policy())
        self.assertIn("It clips over the vent.", [step.how for step in work.steps])

    def test_without_one_the_reason_names_it(self):
        outcome = self.plan(lots=0)
        self.assertIsNot(outcome.outcome, OutcomeKind.FIT)
        self.assertIn(
            "Dust filter is missing and there is none in stock or on offer", outcome.reason
        )


class RadioSockets(unittest.TestCase):
    """A socket meant for a drive or for the radio card."""

    SORREL = SHEETS["kestrin-sorrel-14"]

    def test_it_takes_no_drive_while_the_card_sits_there(self):
        unit = found(self.SORREL, m1="8", m2="8", d1="dead", d2="r", p1="43/43.6 9c")
        said = OptionBuilder(self.SORREL, Supply(KINDS, frozenset(KINDS)), STANDARDS, POLICY)
        facts = [r.fact for r in said.toward_standards(unit).rejections]
        self.assertTrue(all("dead" in fact or "radio card" in fact for fact in facts), facts)
        free = unit.model_copy(
            update={"drives": unit.drives | {"d2": found(self.SORREL, d2="-").drives["d2"]}}
        )
        kinds = {"nvme-256-2230", "screw-m2x3"}
        supply = Supply(KINDS, frozenset(kinds))
        ways = OptionBuilder(self.SORREL, supply, STANDARDS, POLICY).toward_standards(free).options
        self.assertTrue(any(a.place == "d2" for way in ways for a in way.actions))

    def test_only_such_a_socket_holds_one(self):
        _, refusals = read_entries(self.SORREL, "std", {"d1": "r"})
        self.assertIn("takes no radio card", refusals["d1"])

    def test_it_is_written_and_drawn(self):
        unit = found(self.SORREL, d2="r")
        self.assertEqual(write_entries(unit)["d2"], "r")
        cell = next(c for c in draw_strip(self.SORREL, unit, ()).cells if c.key == "d2")
        self.assertEqual(cell.words, "radio card")

    def test_the_trim_without_the_socket_has_no_place_for_it(self):
        gantry = SHEETS["ombrel-gantry-16"]
        self.assertNotIn("d3", [d.key for d in gantry.drives_of("std")])
        self.assertIn("d3", [d.key for d in gantry.drives_of("mobile")])
