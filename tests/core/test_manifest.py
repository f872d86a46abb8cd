import unittest

from hypothesis import given
from hypothesis import strategies as st

from sortis_core.intake.manifest import LARGEST_BYTES, ManifestRefused, read_manifest

HEAD = b"tag,serial,maker,model,notes\n"


def refusal(data: bytes, taken: frozenset[str] = frozenset()) -> ManifestRefused:
    try:
        read_manifest(data, taken)
    except ManifestRefused as refused:
        return refused
    raise AssertionError("the manifest was accepted")


class Accepted(unittest.TestCase):
    def test_rows_keep_their_line_numbers_and_blank_tags(self):
        rows = read_manifest(HEAD + b"TW-0412,S1,Ombrel,Folio 15,dent\n\n,S2,Tolva,Lern 11,\n")
        self.assertEqual(
            [(r.line, r.tag, r.serial) for r in rows], [(2, "TW-0412", "S1"), (4, "", "S2")]
        )

    def test_semicolons_a_byte_order_mark_and_any_column_order(self):
        rows = read_manifest("\ufeffModel;Maker;Serial\r\nLern 11;Tolva;Ä1\r\n".encode())
        self.assertEqual((rows[0].maker, rows[0].model, rows[0].serial), ("Tolva", "Lern 11", "Ä1"))

    def test_a_note_may_begin_with_a_dash(self):
        self.assertEqual(read_manifest(HEAD + b",S1,A,B,- dent\n")[0].notes, "- dent")


class Refused(unittest.TestCase):
    def test_each_fault_has_its_own_sentence(self):
        cases = {
            b"": "empty",
            b"  \n ": "empty",
            b"name,colour\nx,y\n": "header line lacks serial, maker and model",
            b"serial,maker,model,model\n1,a,b,c\n": "names model twice",
            HEAD: "no units below",
            b"PK\x03\x04rest": "workbook or a zip",
            HEAD + b",S\x001,A,B,\n": "zero bytes",
            b"x" * (LARGEST_BYTES + 1): "may have up to 5 MB",
            HEAD + b',"S1,A,B,\n': "not CSV",
        }
        for data, words in cases.items():
            with self.subTest(words=words):
                self.assertIn(words, refusal(data).sentence)

    def test_a_wrong_encoding_names_its_line(self):
        refused = refusal(HEAD + b",S1,A,B,\n,S2,A,caf\xe9,\n")
        self.assertIn("Line 3 is not written in UTF-8", refused.sentence)

    def test_every_faulty_line_is_listed_with_its_reason(self):
        refused = refusal(
            HEAD
            + b"TW-0001,S1,A,B,\n"
            + b"TW-0001,S2,A,B,\n"
            + b",S1,A,B,\n"
            + b",S3,A,,\n"
            + b",S4,A,B,=1+1\n"
            + b"412,S5,A,B,\n"
            + b"TW-0009,S6,A,B,\n"
            + b",S7,A,B\x07,\n",
            taken=frozenset({"TW-0009"}),
        )
        reasons = dict(refused.facts["lines"])
        self.assertEqual(sorted(reasons), [3, 4, 5, 6, 7, 8, 9])
        self.assertIn("stands on line 2 already", reasons[3])
        self.assertIn("serial S1 stands on line 2", reasons[4])
        self.assertIn("model is blank", reasons[5])
        self.assertIn("formula", reasons[6])
        self.assertIn("not of the form", reasons[7])
        self.assertIn("on another unit", reasons[8])
        self.assertIn("control character", reasons[9])

    def test_more_than_ten_thousand_units_are_refused(self):
        body = b"".join(b",S%d,A,B,\n" % n for n in range(10_001))
        self.assertIn("more than 10,000", refusal(HEAD + body).sentence)

    @given(st.binary(max_size=400))
    def test_any_bytes_are_read_or_refused_in_words(self, data):
        try:
            rows = read_manifest(data)
        except ManifestRefused as refused:
            self.assertTrue(refused.sentence.endswith((".", "again.")))
        else:
            self.assertTrue(all(row.serial and row.maker and row.model for row in rows))
