"""All tests; property tests try few examples and none has a time it must keep to."""

from hypothesis import settings

from tests.examples import SCALE

settings.register_profile("few", deadline=None, max_examples=max(1, round(10 * SCALE)))
settings.load_profile("few")
