"""Manifests: any columns, every row with its verdict, hostile files answered plainly."""

import io
import re
import unittest
import zipfile
from datetime import date, datetime, time

from hypothesis import given
from hypothesis import strategies as st
from openpyxl import Workbook

from sortis_core.intake.manifest import (
    Field,
    ManifestRefused,
    Mapping,
    RowChecker,
    RowMend,
    RowState,
    read_mend,
    read_table,
    suggest_mapping,
)
from sortis_core.intake.manifest.mapping import remember
from sortis_core.intake.manifest.table import LARGEST_BYTES, MOST_ROWS, TableRow, marked
from sortis_core.intake.manifest.verdicts import MendRefused, normal_form
from sortis_core.intake.models import ModelNames
from tests.core.sample import SHEETS

NAMES = ModelNames(SHEETS.values())
HEAD = b"tag,serial,maker,model,notes\n"


def workbook(*rows: list, title: str = "List") -> bytes:
    book = Workbook()
    sheet = book.active
    sheet.title = title
    for row in rows:
        sheet.append(row)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def styled(*rows: list[tuple]) -> bytes:
    """A workbook of (value, number format) cells."""
    book = Workbook()
    for row, cells in enumerate(rows, start=1):
        for column, (value, form) in enumerate(cells, start=1):
            cell = book.active.cell(row, column, value)
            if form:
                cell.number_format = form
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def repacked(data: bytes, change) -> bytes:
    out = io.BytesIO()
    with (
        zipfile.ZipFile(io.BytesIO(data)) as old,
        zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as new,
    ):
        for part in old.infolist():
            new.writestr(part.filename, change(part.filename, old.read(part)))
    return out.getvalue()


def refusal(data: bytes) -> ManifestRefused:
    try:
        read_table(data)
    except ManifestRefused as refused:
        return refused
    raise AssertionError("the manifest was accepted")


def verdicts(data: bytes, **more):
    table = read_table(data)
    checker = RowChecker(suggest_mapping(table, NAMES), NAMES, **more)
    return [checker.check(row) for row in table.rows]


class Tables(unittest.TestCase):
    def test_lines_are_those_of_the_file(self):
        table = read_table(HEAD + b"TW-0412,S1,Ombrel,Folio 15,dent\n\n,S2,Tolva,Lern 11,\n")
        self.assertEqual([row.line for row in table.rows], [2, 4])

    def test_any_delimiter_and_encoding(self):
        for text in ("Serial;Model\nÄ1;Lern 11\n", "Serial\tModel\nÄ1\tLern 11\n"):
            for encoding in ("utf-8", "utf-8-sig", "utf-16"):
                rows = read_table(text.replace("\n", "\r\n").encode(encoding)).rows
                self.assertEqual(rows[0].cells, ("Ä1", "Lern 11"))

    def test_a_comma_in_a_title_does_not_part_the_list(self):
        table = read_table(b"Second pallet, ticket desks\n\nRef;Machine\nQ1;Lern 11\nQ2;Lern 11\n")
        self.assertEqual((table.header_line, table.headers), (3, ("Ref", "Machine")))

    def test_titles_above_the_header_are_passed_over(self):
        data = workbook(
            ["Clearance, second floor"], [], ["Brand", "Device", "S/N"], ["Tolva", "Lern 11", 4711]
        )
        table = read_table(data)
        self.assertEqual((table.header_line, table.headers), (3, ("Brand", "Device", "S/N")))
        self.assertEqual(
            (table.rows[0].line, table.rows[0].cells), (4, ("Tolva", "Lern 11", "4711"))
        )

    def test_cells_of_a_workbook_are_what_a_person_reads(self):
        row = read_table(
            workbook(["serial", "model", "day", "ok"], [12.0, "Lern 11", date(2026, 11, 3), True])
        ).rows[0]
        self.assertEqual(
            [marked(cell) for cell in row.cells],
            [("12", ""), ("Lern 11", ""), ("2026-11-03", "#DATE"), ("TRUE", "#TRUTH")],
        )

    def test_zeros_that_a_format_shows_are_read(self):
        data = styled(
            [("serial", None), ("model", None)],
            [(412, "000000"), ("Lern 11", None)],
            [(77, '"TW-"0000'), ("Lern 11", None)],
            [(5, "0.00E+00"), ("Lern 11", None)],
            [(-3, "0000"), ("Lern 11", None)],
        )
        self.assertEqual(
            [row.cells[0] for row in read_table(data).rows], ["000412", "TW-0077", "5", "-3"]
        )

    def test_a_list_without_a_header_loses_no_unit(self):
        for data in (
            b"TW-0001,FX700114,Ombrel Folio 15\nTW-0002,FX700115,Ombrel Folio 15\n",
            b"4711,Lern 11\n4712,Lern 11\n",
        ):
            table = read_table(data)
            self.assertEqual((table.header_line, len(table.rows)), (0, 2))
            self.assertEqual(table.headers[0], "column 1")
            self.assertEqual([row.line for row in table.rows], [1, 2])
        serial = suggest_mapping(read_table(b"FX700114;Lern 11\nFX700115;Lern 11\n"), NAMES)
        self.assertEqual(serial.columns[Field.SERIAL], 0)

    def test_the_delimiter_is_that_of_the_whole_list(self):
        first = "".join(f"FX70{n:04};Lern 11;a, b, c, d\n" for n in range(40))
        rest = "".join(f"FX71{n:04};Lern 11;x\n" for n in range(600))
        table = read_table(f"Serial;Model;Notes\n{first}{rest}".encode())
        self.assertEqual(len(table.rows[-1].cells), 3)

    def test_two_lists_in_one_workbook_are_asked_about(self):
        def book(second: list, state: str = "visible") -> bytes:
            made = Workbook()
            made.active.title = "Floor 1"
            other = made.create_sheet("Floor 2")
            for sheet, rows in (
                (made.active, [["serial", "model"], ["S1", "Lern 11"]]),
                (other, second),
            ):
                for row in rows:
                    sheet.append(row)
            other.sheet_state = state
            out = io.BytesIO()
            made.save(out)
            return out.getvalue()

        both = [["Serial number", "Model"], ["S2", "Lern 11"]]
        said = refusal(book(both)).sentence
        self.assertIn("lists on 2 sheets: Floor 1 and Floor 2", said)
        self.assertEqual(len(read_table(book(both, "hidden")).rows), 1)
        notes = [["Collected on Monday", "by the ferry line"], ["call first", ""]]
        self.assertEqual(len(read_table(book(notes)).rows), 1)
        first = Workbook()
        first.active.append(["Delivery of the ferry line"])
        listed = first.create_sheet("Units")
        for row in both:
            listed.append(row)
        out = io.BytesIO()
        first.save(out)
        self.assertEqual(read_table(out.getvalue()).headers, ("Serial number", "Model"))


class Columns(unittest.TestCase):
    def suggested(self, data: bytes, **more) -> dict[str, str]:
        table = read_table(data)
        mapping = suggest_mapping(table, NAMES, **more)
        return {field: table.headers[column] for field, column in mapping.columns.items()}

    def test_by_their_names_in_any_order(self):
        self.assertEqual(
            self.suggested(b"Remarks;S/N;Model Name;Manufacturer\nx;A123456;Lern 11;Tolva\n"),
            {"serial": "S/N", "model": "Model Name", "maker": "Manufacturer", "notes": "Remarks"},
        )

    def test_by_their_values_where_the_names_say_nothing(self):
        data = b"A,B,C\nHB700114,Ombrel Folio 15,x\nHB700115,Quarrin Stilt Q2,x\n"
        self.assertEqual(self.suggested(data), {"serial": "A", "model": "B"})

    def test_what_was_chosen_for_this_source_comes_first(self):
        data = b"Ref,Serial,Model\nQ1234,HB700114,Folio 15\nQ1235,HB700115,Folio 15\n"
        self.assertEqual(self.suggested(data)["serial"], "Serial")
        table = read_table(data)
        kept = remember(table, Mapping(columns={Field.SERIAL: 0, Field.MODEL: 2}))
        self.assertEqual(self.suggested(data, remembered=kept)["serial"], "Ref")

    def test_a_needed_column_that_is_missing_is_asked_for(self):
        with self.assertRaises(ManifestRefused) as caught:
            RowChecker(Mapping(columns={Field.MODEL: 0}), NAMES)
        self.assertIn("No column is marked as the serial", caught.exception.sentence)


class Rows(unittest.TestCase):
    def test_each_has_its_verdict(self):
        found = verdicts(
            HEAD
            + b"TW-0001,S1,Ombrel,Folio 15,- dent\n"
            + b",S2,Ombrel,FOLIO-15 8GB,\n"
            + b",S3,Ombrel,Folio 51,\n"
        )
        self.assertEqual([v.state for v in found], [RowState.OK, RowState.LOOK, RowState.FAULT])
        self.assertEqual(found[0].notes, "- dent")
        self.assertEqual(found[1].sheet, "ombrel-folio-15")
        self.assertIn("is taken for Ombrel Folio 15", found[1].sentence)
        self.assertIn("no model sheet is called Ombrel Folio 51; it may be", found[2].sentence)
        self.assertEqual(found[2].alternatives[0].sheet, "ombrel-folio-15")

    def test_every_fault_has_its_words(self):
        found = verdicts(
            HEAD
            + b"TW-0001,S1,Tolva,Lern 11,\n"
            + b"TW-0001,S2,Tolva,Lern 11,\n"
            + b",S1,Tolva,Lern 11,\n"
            + b",,Tolva,Lern 11,\n"
            + b",S3,Tolva,,\n"
            + b"zz,S4,Tolva,Lern 11,\n"
            + b",=1+1,Tolva,Lern 11,\n"
            + b",S5,Tolva,Lern 11,@cmd\n"
            + b",S\x016,Tolva,Lern 11,\n"
            + b"TW-0777,S7,Tolva,Lern 11,\n"
            + b",S8,Tolva,Lern 11,\n"
            + b",S9,Tolva,Lern 11,"
            + b"x" * 201
            + b"\nTW-00777,S10,Tolva,Lern 11,\n"
            + b"TW-001,S11,Tolva,Lern 11,\n"
            + b"LOT-123,S12,Tolva,Lern 11,\n",
            taken_tags=frozenset({"TW-0777"}),
            taken_serials=frozenset({"S8"}),
        )
        said = [v.sentence for v in found]
        for line, words in (
            (2, "tag TW-0001 stands on line 2 already"),
            (3, "serial S1 stands on line 2 already"),
            (4, "serial number is blank"),
            (5, "model is blank"),
            (6, "tag ZZ is not of the form"),
            (7, "serial number holds a formula (=1+1)"),
            (8, "notes holds a formula"),
            (9, "control character"),
            (10, "tag TW-0777 is on another unit"),
            (11, "serial S8 is in this batch already"),
            (12, "longer than 200"),
            (13, "tag TW-00777 is on another unit"),
            (14, "tag TW-001 stands on line 2 already"),
            (15, "tag LOT-123 reads like a label of another kind"),
        ):
            self.assertIn(words, said[line - 1])

    def test_formulas_errors_and_rounded_numbers_of_a_workbook(self):
        found = verdicts(
            workbook(
                ["serial", "model"],
                ["=SUM(A1:A9)", "Lern 11"],
                [12345678901234567890, "Lern 11"],
                ["#REF!", "Lern 11"],
                [4711, "Lern 11"],
            )
        )
        said = [v.sentence for v in found]
        self.assertIn("a formula whose result the file does not hold", said[0])
        self.assertIn("more than 15 figures", said[1])
        self.assertIn("workbook's error", said[2])
        self.assertEqual((found[3].state, found[3].serial), (RowState.LOOK, "4711"))

    def test_what_a_workbook_made_of_a_code_is_told_and_of_words_is_read(self):
        found = verdicts(
            workbook(
                ["serial", "model", "notes"],
                [date(2026, 12, 3), "Lern 11", "x"],
                ["S2", True, "x"],
                [time(8, 30), "Lern 11", "x"],
                ["S4", "Lern 11", datetime(2026, 11, 3, 9, 30)],
                ["S5", "Lern 11", False],
            )
        )
        for verdict, words in zip(found, ("is a date", "truth value", "time of day"), strict=False):
            self.assertIs(verdict.state, RowState.FAULT)
            self.assertIn(words, verdict.sentence)
        self.assertEqual([v.notes for v in found[3:]], ["2026-11-03 09:30", "FALSE"])
        self.assertEqual({v.state for v in found[3:]}, {RowState.LOOK})

    def test_a_formula_is_read_as_what_it_came_to(self):
        data = workbook(["serial", "model"], ['="FX"&700114', "Lern 11"], ["=A9", "Lern 11"])
        result = rb'<c r="A2" t="str">\1<v>FX700114</v></c>'
        cell = rb'<c r="A2"[^>]*>(<f>.*?</f>)<v ?/?>(?:</v>)?</c>'
        kept = repacked(data, lambda n, d: re.sub(cell, result, d, count=1) if "sheet1" in n else d)
        one, other = verdicts(kept)
        self.assertEqual((one.serial, one.state), ("FX700114", RowState.LOOK))
        self.assertIn("does not hold", other.sentence)

    def test_a_serial_number_that_lost_its_last_figures_is_told(self):
        found = verdicts(
            b'serial,model\n1.23457E+11,Lern 11\n"1,2E+10",Lern 11\n12E+09,Lern 11\n5E123,Lern 11\n'
        )
        self.assertEqual([v.state for v in found][:3], [RowState.FAULT] * 3)
        self.assertIn("without its last figures", found[0].sentence)
        self.assertEqual(found[3].serial, "5E123")

    @given(st.lists(st.lists(st.text(max_size=12), min_size=2, max_size=5), max_size=8))
    def test_any_cells_are_judged_or_refused_in_words(self, rows):
        text = "serial,maker,model\n" + "\n".join(",".join(row) for row in rows)
        try:
            for verdict in verdicts(text.encode()):
                self.assertTrue(verdict.state is RowState.OK or verdict.sentence)
        except ManifestRefused as refused:
            self.assertGreater(len(refused.sentence), 20)


class Mending(unittest.TestCase):
    LIST = (
        b"tag,serial,model\nTW-0001,S1,Ombrel Folio 15\n,S1,Ombrel Folio 15\n"
        b",S3,Nobody 9\n,,Lern 11\n"
    )

    def verdicts(self, **mends):
        table = read_table(self.LIST)
        said = {int(line[1:]): RowMend.model_validate(one) for line, one in mends.items()}
        checker = RowChecker(suggest_mapping(table, NAMES), NAMES, mends=said)
        return [checker.check(row) for row in table.rows]

    def test_without_a_word_three_of_four_cannot_be_taken_in(self):
        states = [one.state for one in self.verdicts()]
        self.assertEqual(states, [RowState.OK] + [RowState.FAULT] * 3)

    def test_tag_serial_and_model_are_mended_in_place(self):
        first, second, third, fourth = self.verdicts(
            l3={"serial": "S2", "tag": "tw-0007"},
            l4={"sheet": "tolva-lern-11"},
            l5={"serial": "S4"},
        )
        self.assertTrue(all(one.state.taken for one in (first, second, third, fourth)))
        self.assertEqual(
            (second.serial, second.tag, second.written_serial), ("S2", "TW-0007", "S1")
        )
        self.assertEqual((third.sheet, third.sentence), ("tolva-lern-11", "mended by hand"))

    def test_what_is_left_out_or_set_aside_is_in_nobodys_way(self):
        left = {"left_out": "stands twice on the list"}
        _, second, third, _ = self.verdicts(l3=left, l4={"aside": True})
        self.assertEqual((second.state, second.sentence), (RowState.LEFT_OUT, left["left_out"]))
        self.assertIs(third.state, RowState.ASIDE)
        _, second, *_ = self.verdicts(l2=left)
        self.assertTrue(second.state.taken, "the other of the pair is no double any more")

    def test_a_mended_row_is_judged_like_any_other(self):
        _, second, *_ = self.verdicts(l3={"serial": "=1+1"})
        self.assertIn("formula", second.sentence)
        _, second, *_ = self.verdicts(l3={"serial": " s1 "})
        self.assertIn("stands on line 2 already", second.sentence)

    def test_whatever_a_cell_holds_the_row_can_be_mended(self):
        clean = {
            "tag": "TW-0009",
            "serial": "S9",
            "sheet": "tolva-lern-11",
            "notes": "",
            "comes_with": "dock",
        }
        columns = {str(field): n for n, field in enumerate(Field)}
        whole = {Field.SERIAL: "S1", Field.MODEL: "Lern 11", Field.MAKER: "Tolva"}
        bad = ("=1+1", "#REF!", "a\x07b", "x" * 201, "#FORMULA ", "#ROUNDED 12")
        for field in Field:
            for cell in bad:
                cells = tuple({**whole, field: cell}.get(one, "") for one in Field)
                row = TableRow(line=2, cells=cells)
                faulty, mended = (
                    RowChecker(Mapping(columns=columns), NAMES, mends=mends).check(row)
                    for mends in ({}, {2: RowMend.model_validate(clean)})
                )
                with self.subTest(field=field, cell=cell):
                    self.assertIs(faulty.state, RowState.FAULT)
                    self.assertFalse(faulty.mended)
                    self.assertTrue(mended.state.taken, mended.sentence)
                    self.assertTrue(mended.mended)
                    self.assertEqual((mended.notes, mended.comes_with), ("", "dock"))

    def test_a_mend_without_a_reason_or_for_no_sheet_is_refused(self):
        no_reason, no_sheet = RowMend(left_out=".."), RowMend(sheet="none")
        for said, words in ((no_reason, "few words"), (no_sheet, "no sheet none")):
            with self.assertRaisesRegex(MendRefused, words):
                read_mend(said, SHEETS)

    def test_codes_are_compared_as_the_database_does(self):
        for one, other in (
            ("AB 12", "ab12"),
            ("Ａ１２", "a12"),
            ("Müller-7", "muller-7"),
            ("S1\u200b", "s1"),
            ("\ufeffS\u00ad1", "S1"),
            ("STRASSE", "straße"),
        ):
            self.assertEqual(normal_form(one), normal_form(other), one)
        self.assertNotEqual(normal_form("S-1"), normal_form("S1"))


class Hostile(unittest.TestCase):
    def test_each_file_has_its_own_sentence(self):
        cases = {
            b"": "empty",
            b"  \n ": "empty",
            b"just one column\nx\n": "no header line",
            HEAD: "no units below",
            HEAD + b",S\x001,A,B,\n": "zero bytes",
            b"x" * (LARGEST_BYTES + 1): "may have up to 5 MB",
            HEAD + b',"S1,A,B,\n': "not CSV",
            HEAD + b",S2,A,caf\xe9,\n": "Line 2 is not written in UTF-8",
            b"\xff\xfeab\xd8": "begins like UTF-16",
            b"\xd0\xcf\x11\xe0rest": "old format",
            b"PK\x03\x04rest": "no workbook that can be read",
            HEAD + b",S,A,B,\n" * (MOST_ROWS + 1): "more than 10,000 units",
        }
        for data, words in cases.items():
            with self.subTest(words=words):
                self.assertIn(words, refusal(data).sentence)

    def repacked(self, change) -> bytes:
        return repacked(workbook(["serial", "model"], ["S1", "Lern 11"]), change)

    def test_a_bomb_a_claim_and_declarations(self):
        bomb = self.repacked(lambda n, d: b"\0" * 60_100_000 if "sheet1" in n else d)
        self.assertIn("unpacks to more than 60 MB", refusal(bomb).sentence)
        lying = bytearray(self.repacked(lambda n, d: d))
        at = lying.find(b"PK\x01\x02")
        lying[at + 24 : at + 28] = (1_000_000_000).to_bytes(4, "little")
        self.assertIn("unpacks to more than 60 MB", refusal(bytes(lying)).sentence)
        declared = self.repacked(
            lambda n, d: b'<!DOCTYPE x [<!ENTITY a "b">]>' + d if "sheet1" in n else d
        )
        self.assertIn("declarations", refusal(declared).sentence)
        late = self.repacked(
            lambda n, d: (
                d + b" " * ((1 << 20) - len(d) - 4) + b"<!ENTITY a>" if "sheet1" in n else d
            )
        )
        self.assertIn("declarations", refusal(late).sentence)
        wide = self.repacked(
            lambda n, d: "<!DOCTYPE x>".encode("utf-16-le") + d if "sheet1" in n else d
        )
        self.assertIn("declarations", refusal(wide).sentence)

    def test_a_workbook_cut_off_or_stuffed_with_nonsense(self):
        whole = self.repacked(lambda n, d: d)
        self.assertIn("no workbook", refusal(whole[:-200]).sentence)
        broken = self.repacked(lambda n, d: d[:40] if "sheet1" in n else d)
        self.assertIn("no workbook", refusal(broken).sentence)
        other = io.BytesIO()
        with zipfile.ZipFile(other, "w") as archive:
            archive.writestr("a.txt", "hello")
        self.assertIn("no workbook", refusal(other.getvalue()).sentence)

    def test_a_row_at_the_far_end_is_asked_about_not_waited_for(self):
        far = self.repacked(
            lambda n, d: (
                d.replace(b'r="2"', b'r="1048576"').replace(b'"A2"', b'"A1048576"')
                if "sheet1" in n
                else d
            )
        )
        self.assertIn("After line 1 of the workbook come more than 5,000", refusal(far).sentence)
