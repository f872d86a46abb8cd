"""The benchmarks' own arithmetic: a missed target is told, planning by hand is played fairly."""

import contextlib
import io
import random
import subprocess
import tempfile
import unittest

from django.test import TestCase

from bench._furnish import furnish
from bench._harm import fault, harmed, readers
from bench.plan import first_come_first_served, one_by_one, open_case
from bench.report import Report, seconds
from bench.scans import Place, turns
from demo.generator import workshop_settings
from house.place import PYTHON, paths
from sortis_core.plan import make_plan
from sortis_core.plan.grouping import group_units
from sortis_core.vocabulary.states import Role
from sortis_server.workshop.services import newest_standards, part_kinds, workshop


def printed(fill) -> tuple[str, int]:
    out = io.StringIO()
    report = Report()
    with contextlib.redirect_stdout(out):
        fill(report)
        try:
            report.end()
        except SystemExit as end:
            return out.getvalue(), int(end.code or 0)
    raise AssertionError("the report did not end")


class Reports(unittest.TestCase):
    def test_one_line_a_target_and_status_one_when_missed(self):
        self.assertEqual(
            printed(lambda r: r.at_least("speed", 4, 3)), ("speed  4.00  >=3  met\n", 0)
        )
        said, status = printed(lambda r: r.at_most("growth", 9, 8))
        self.assertEqual((said, status), ("growth  9  <=8  missed\n", 1))

    def test_the_shortest_of_several_runs_counts(self):
        calls: list[int] = []
        self.assertGreaterEqual(seconds(lambda: calls.append(1), times=4), 0)
        self.assertEqual(len(calls), 4)


class ByHand(unittest.TestCase):
    def test_first_come_first_served_never_beats_the_plan(self):
        for seed in range(4):
            case = open_case(seed, 15)
            by_hand = first_come_first_served(case)
            self.assertLessEqual(by_hand, make_plan(case).contribution_cents)
            self.assertGreater(by_hand, 0)

    def test_splitting_groups_keeps_every_unit(self):
        case = open_case(2, 20)
        groups = group_units(case, case.units)
        single = one_by_one(groups)
        self.assertEqual(len(single), len(case.units))
        self.assertTrue(all(len(group.tags) == 1 for group in single))


class Furnishing(TestCase):
    def test_the_workshop_that_the_benchmarks_work_in_can_sign_in_and_decide(self):
        marit = furnish()
        self.assertEqual(set(marit.roles), {role.value for role in Role})
        self.assertTrue(newest_standards() and part_kinds())
        self.assertEqual(workshop().currency, workshop_settings().currency)


class Reading(unittest.TestCase):
    def test_a_reader_that_stops_early_is_no_error(self):
        with tempfile.NamedTemporaryFile("w", suffix=".json") as file:
            file.write(open_case(1, 12).model_dump_json())
            file.flush()
            ran = subprocess.run(
                f"{PYTHON} -m sortis_core plan {file.name} | head -c 20",
                shell=True,
                check=True,
                env=paths(),
                capture_output=True,
                text=True,
            )
        self.assertEqual(ran.stderr, "")
        self.assertTrue(ran.stdout.startswith("{"))


class Harmed(unittest.TestCase):
    def test_every_reader_answers_or_refuses_in_words(self):
        dice = random.Random(20261127)
        for reader in readers():
            with self.subTest(reader.name):
                self.assertEqual(
                    [fault(reader, whole) for whole in reader.whole if fault(reader, whole)], []
                )
                files = [harmed(dice.choice(reader.whole), dice, reader.whole) for _ in range(150)]
                self.assertGreater(len(set(files)), 100)
                self.assertEqual(
                    [(said, data) for data in files if (said := fault(reader, data))], []
                )

    def test_a_fault_is_told(self):
        lists = next(one for one in readers() if one.name == "lists")
        broken = lists._replace(read=lambda data: 1 / 0)
        self.assertIn("ZeroDivisionError", fault(broken, b"x"))


class EveryScan(unittest.TestCase):
    def test_each_kind_goes_into_each_focus_and_each_code_into_one(self):
        wheres = [Place(f"/{number}", "", False) for number in range(5)]
        codes = {"few": ["a", "b"], "many": [str(number) for number in range(12)]}
        done = list(turns(wheres, codes))
        for kind, all_ in codes.items():
            self.assertEqual({place for place, of, _ in done if of == kind}, set(wheres))
            self.assertEqual({code for _, of, code in done if of == kind}, set(all_))
        self.assertEqual(len(done), 5 + 12)
