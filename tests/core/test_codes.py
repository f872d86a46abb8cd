"""Codes that Sortis prints are known by their form."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from sortis_core.codes import number_in, numbered_code, own_kind
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
