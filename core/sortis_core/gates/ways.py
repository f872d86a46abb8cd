"""Ways to close a gate: sets of actions, or the fact why there is none."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product

from sortis_core.actions import Action
from sortis_core.base import SortisError
from sortis_core.findings import Findings
from sortis_core.policy import Policy
from sortis_core.sheets import ModelSheet
from sortis_core.supply import Supply

Alternative = tuple[Action, ...]
NOTHING_TO_DO: list[Alternative] = [()]
"""What a gate answers that is met as it is."""


MOST_PICKS = 64


def picks(choices: Sequence[Sequence[Action]]) -> list[Alternative]:
    """All ways to take one action of each; beyond :data:`MOST_PICKS` the last have no choice."""
    free: list[Sequence[Action]] = []
    ways = 1
    for some in choices:
        few = some if ways * len(some) <= MOST_PICKS else some[:1]
        ways *= len(few)
        free.append(few)
    return list(product(*free))


class NoWay(SortisError):
    """No set of actions meets the gate; the sentence is the fact against it."""

    title = "The gate cannot be met"


class LookFirst(NoWay):
    """The gate hangs on something nobody looked at yet."""


class NoPrice(NoWay):
    """The standard could be reached, and nobody said what such a unit sells for."""


class NeedsBoard(NoWay):
    """Only another board would meet it, and none is among the actions asked about."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """One unit whose gates are to be closed, and what may be used for it."""

    sheet: ModelSheet
    findings: Findings
    supply: Supply
    policy: Policy
    lowest: bool
    """The standard is the lowest one that the workshop sells."""
    board: bool = False
    """Another board goes in with the same actions."""
    filled: frozenset[str] = frozenset()
    """Places that the actions chosen so far fill; gates that complete are asked last."""
    emptied: frozenset[str] = frozenset()
    """Places that they empty."""
    spare: frozenset[str] = frozenset()
    """Part kinds that other units want: what is not needed of them may come out for those."""
