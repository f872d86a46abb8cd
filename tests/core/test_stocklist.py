"""Stock lists: any columns, every row with its verdict, nothing taken for what it is not."""

import unittest

from sortis_core.intake.manifest import ManifestRefused, read_table
from sortis_core.intake.stocklist import StockField, StockMapping, StockRowState, read_stock
from sortis_core.stock import Condition
from tests.core.sample import KINDS

MODULE = KINDS["sodimm-ddr4-8"]


def read(text: str, **said):
    first = read_stock(read_table(text.encode()), KINDS)
    told = {"columns": first.columns, "condition": Condition.NEW} | said
    return read_stock(read_table(text.encode()), KINDS, StockMapping.model_validate(told))


class Reading(unittest.TestCase):
    def test_columns_of_any_name_and_order(self):
        table = read(f"Qty;Shelf;Article;Unit cost\n4;C-2;{MODULE.label};9,50\n")
        (row,) = table.rows
        self.assertEqual((row.kind, row.count, row.place), (MODULE.key, 4, "C-2"))
        self.assertEqual((row.unit_cost_cents, row.condition), (950, Condition.NEW))
        self.assertIs(row.state, StockRowState.OK)

    def test_the_condition_is_said_and_never_taken_for_new(self):
        text = f"part,count,place\n{MODULE.label},4,C-2\n"
        table = read_stock(read_table(text.encode()), KINDS)
        self.assertIn("condition", table.refusal)
        self.assertEqual(table.rows, ())

    def test_what_held_data_waits_whatever_the_list_says(self):
        drive = next(k for k in KINDS.values() if k.facts.type == "drive")
        text = f"part,count,place,condition\n{drive.label},1,C-2,tested\n"
        (row,) = read_stock(read_table(text.encode()), KINDS).rows
        self.assertIs(row.condition, Condition.AWAITING_SANITISING)

    def test_each_fault_is_named(self):
        label = MODULE.label
        for line, words in (
            (f"{label},four,C-2", "no count"),
            (f"{label},0,C-2", "between 1 and"),
            (f"{label},2.5,C-2", "no count"),
            (f"{label},99999999999,C-2", "between 1 and"),
            (f"{label},4,", "place is blank"),
            (f"{label},4,{'x' * 70}", "longer than"),
            ("Something else,4,C-2", "no part kind is called"),
            (",4,C-2", "part is blank"),
            ("=1+1,4,C-2", "formula"),
        ):
            (row,) = read(f"part,count,place\n{line}\n").rows
            self.assertIs(row.state, StockRowState.FAULT, line)
            self.assertIn(words, row.sentence)

    def test_a_name_alike_is_looked_at_and_one_chosen_holds(self):
        wrong = MODULE.label.replace("DDR4", "DDR 4")
        (row,) = read(f"part,count,place\n{wrong},4,C-2\n").rows
        self.assertIn(row.state, (StockRowState.LOOK, StockRowState.OK))
        self.assertEqual(row.kind, MODULE.key)
        text = "part,count,place\nthe usual one,4,C-2\n"
        (row,) = read(text, chosen={"the usual one": MODULE.key}).rows
        self.assertEqual((row.kind, row.state), (MODULE.key, StockRowState.OK))

    def test_a_column_that_is_none_is_said(self):
        table = read("a,b,c\n1,2,3\n", columns={StockField.KIND: 0, StockField.COUNT: 99})
        self.assertIn("count and the place", table.refusal)

    def test_what_is_no_list_is_refused(self):
        for data in (b"", b"\0\1\2"):
            with self.assertRaises(ManifestRefused):
                read_stock(read_table(data), KINDS)
