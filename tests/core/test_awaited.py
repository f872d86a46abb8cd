"""An order that waits for parts is begun on purpose."""

import unittest

from sortis_core.awaited import PartsAwaited, is_here, require_here
from sortis_core.vocabulary.states import FetchState


class Awaited(unittest.TestCase):
    def test_what_can_be_laid_ready_or_is_in_it_is_here_and_nothing_else(self):
        here = {state for state in FetchState if is_here(state)}
        self.assertEqual(here, {FetchState.READY, FetchState.CONFIRMED, FetchState.FITTED})

    def test_it_is_begun_where_all_is_here_or_on_purpose(self):
        require_here("TW-1", [], on_purpose=False)
        require_here("TW-1", ["Pack (on order)"], on_purpose=True)
        with self.assertRaisesRegex(PartsAwaited, r"TW-1 waits for Pack \(on order\) and Fan"):
            require_here("TW-1", ["Pack (on order)", "Fan (gone)"], on_purpose=False)
