"""Codes that Sortis prints are known by their form."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from sortis_core.codes import (
    bare_tag,
    is_tag,
    number_in,
    numbered_code,
    own_kind,
    tag_numbered,
    tag_spellings,
)
from sortis_core.vocabulary.states import CodeKind


class OwnCodes(unittest.TestCase):
    def test_each_kind_has_its_form(self):
        for code, kind in (
            ("LOT-12", CodeKind.LOT),
            ("lot-0012 ", CodeKind.LOT),
            ("BADGE-7", CodeKind.PERSON),
            ("~m", CodeKind.WORD),
            ("~", None),
            ("TW-0412", None),
            ("LOT12", None),
            ("LOT-", None),
            ("SLOT-12", None),
            ("LOT-12-3", None),
            ("LOT-1234567890", None),
            ("bin C-09", None),
            ("", None),
        ):
            self.assertIs(own_kind(code), kind, code)

    @given(
        st.sampled_from([CodeKind.LOT, CodeKind.PERSON]),
        st.integers(min_value=1, max_value=10**9 - 1),
    )
    def test_what_is_written_is_read_and_is_of_one_kind(self, kind, number):
        code = numbered_code(kind, number)
        self.assertEqual((own_kind(code), number_in(kind, code.lower())), (kind, number))
        (other,) = {CodeKind.LOT, CodeKind.PERSON} - {kind}
        self.assertIsNone(number_in(other, code))


PREFIXES = st.from_regex(r"[A-Z]{1,4}", fullmatch=True).filter(lambda one: one != "LOT")


class Tags(unittest.TestCase):
    def test_a_tag_has_its_form_and_that_of_no_other_code(self):
        for code in ("TW-0412", "H-301", "A-0000412", "LOTS-123"):
            self.assertTrue(is_tag(code), code)
        for code in (
            "LOT-123",
            "TW0412",
            "tw-0412",
            "TW-41",
            "TW-12345678",
            "TW-\u0664\u0661\u0662",
            "412",
            "",
        ):
            self.assertFalse(is_tag(code), code)

    def test_what_somebody_types_means_the_likeliest_first(self):
        self.assertEqual(tag_spellings(" tw 412 ", "TW")[:2], ("TW-0412", "TW-412"))
        self.assertEqual(tag_spellings("tw-412", "TW")[:2], ("TW-412", "TW-0412"))
        self.assertEqual(tag_spellings("0412", "TW")[0], "TW-0412")
        self.assertIn("TW-0412", tag_spellings("412", "TW"))
        self.assertEqual(tag_spellings("HV-7001-b", "TW"), ("HV-7001-B",))
        self.assertEqual(tag_spellings("9" * 5000, "TW"), ("9" * 5000,))

    @given(PREFIXES, st.integers(min_value=1, max_value=10**7 - 1), st.integers(3, 7))
    def test_every_tag_is_found_however_many_zeros_it_was_printed_with(self, prefix, number, width):
        tag = f"{prefix}-{number:0{width}d}"
        own = tag_numbered(prefix, number)
        self.assertTrue(is_tag(tag) and is_tag(own))
        self.assertEqual(bare_tag(tag), bare_tag(own))
        for typed in (tag, own, f"{prefix}{number}".lower(), f"{prefix} - {number}"):
            self.assertIn(tag, tag_spellings(typed, "ZZ"))
        self.assertEqual(tag_spellings(tag, "ZZ")[0], tag)
        self.assertNotEqual(bare_tag(tag), bare_tag(f"{prefix}-{number + 1:04d}"))
