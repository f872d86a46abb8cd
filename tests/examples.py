"""How many examples property tests try: few telling ones, many on demand."""

import os

from hypothesis import settings

SCALE = float(os.environ.get("SORTIS_EXAMPLES", "1"))
"""``SORTIS_EXAMPLES=20 ./sortis test tests.core`` tries twenty times as many."""


def few(examples: int) -> settings:
    """At most so many examples, without a time each of them must keep to."""
    return settings(max_examples=max(1, round(examples * SCALE)), deadline=None)
