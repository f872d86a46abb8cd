"""Pictures for the buyer: those of the unit, each once, in an order nobody else changed."""

import unittest

from pydantic import ValidationError

from sortis_core.pictures import (
    MOST_SHOWN,
    PictureMark,
    PictureRefused,
    ShownPicture,
    require_showable,
    told_marks,
)


def shown(*numbers: int) -> list[ShownPicture]:
    return [ShownPicture(number=number) for number in numbers]


class Showable(unittest.TestCase):
    def test_any_order_of_ones_own_pictures(self):
        require_showable(shown(3, 1), {1, 2, 3}, [1], [1])
        require_showable([], {1}, [1], [1])

    def test_what_is_none(self):
        for wanted, there, now, known, words in (
            (shown(4), {1}, [], [], "Picture 4 is not there"),
            (shown(1, 1), {1}, [], [], "stands twice"),
            (shown(*range(1, MOST_SHOWN + 2)), set(range(1, 20)), [], [], "pictures at most"),
            (shown(1), {1, 2}, [1, 2], [2, 1], "changed the pictures meanwhile"),
        ):
            with self.assertRaisesRegex(PictureRefused, words):
                require_showable(wanted, there, now, known)


class Marks(unittest.TestCase):
    def test_they_are_numbered_through_as_the_buyer_sees_them(self):
        lid = PictureMark(x=0.5, y=0.2, words=" scratch, 2 cm ")
        edge = PictureMark(x=1, y=0, words="dent")
        pictures = [
            ShownPicture(number=7, marks=(lid, edge)),
            ShownPicture(number=2, marks=(edge,)),
        ]
        self.assertEqual(told_marks(pictures), ("1 scratch, 2 cm", "2 dent", "3 dent"))

    def test_a_mark_lies_on_the_picture_and_says_what_it_is(self):
        for wrong in (
            {"x": 1.01},
            {"y": -0.1},
            {"x": float("nan")},
            {"words": " "},
            {"words": "x" * 81},
        ):
            with self.assertRaises(ValidationError):
                PictureMark.model_validate({"x": 0.5, "y": 0.5, "words": "dent"} | wrong)
