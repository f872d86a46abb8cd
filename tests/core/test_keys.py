"""What is a key, and the words for what is none."""

from unittest import TestCase

from pydantic import TypeAdapter, ValidationError

from sortis_core.keys import Key, PlaceKey

NEVER = ("", "A Key", "x" * 61, "ä", "a/b", "a\n", "٣", "a b")


class Keys(TestCase):
    def test_what_names_a_sheet_a_kind_a_standard(self):
        for good in ("ombrel-folio-15", "8", "x" * 60):
            self.assertEqual(TypeAdapter(Key).validate_python(good), good)
        for bad in (*NEVER, "a.b", "a_b"):
            with self.subTest(bad), self.assertRaisesRegex(ValidationError, "small letters"):
                TypeAdapter(Key).validate_python(bad)

    def test_what_names_a_place_may_have_dots_and_underscores(self):
        for good in ("base_off", "m1", "a.b-c"):
            self.assertEqual(TypeAdapter(PlaceKey).validate_python(good), good)
        for bad in (*NEVER, "_a", ".a"):
            with self.subTest(bad), self.assertRaisesRegex(ValidationError, "like base_off"):
                TypeAdapter(PlaceKey).validate_python(bad)

    def test_the_schema_says_the_same_as_the_check(self):
        for kind, good, bad in ((Key, "a-b", "a_b"), (PlaceKey, "a_b", "_a")):
            pattern = TypeAdapter(kind).json_schema()["pattern"]
            self.assertRegex(good, pattern)
            self.assertNotRegex(bad, pattern)
