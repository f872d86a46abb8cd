"""What is done at one side of a unit, worked out once for every option that has it.

An option is put together late from one job a side: what each takes, gives and changes is added up
and not looked at again.
"""

from collections import Counter
from collections.abc import Iterable

from sortis_core.actions import Action, Verb
from sortis_core.gates.ways import NoWay
from sortis_core.options.option import PartCount, counts

Work = tuple[tuple[str, Verb, bool, bool, bool], ...]
"""(place, verb, takes something out, puts something in, installs the system) of each action: all
that minutes depend on."""


def work_of(actions: Iterable[Action]) -> Work:
    """What the minutes of some actions depend on."""
    return tuple(
        [
            (a.place, a.verb, bool(a.takes_out_label), bool(a.kind), a.installs_system)
            for a in actions
        ]
    )


class Job:
    """Actions of one side, and what they add to an option.

    :param work: number of their :data:`Work`, equal for all whose minutes are.
    :param adds_cents: what the price rises by them.
    :param gives: of what comes out, what may serve again.
    :param packs_out: packs to be disposed of.
    :param uneven: fills slots so that channels differ.
    :param mends: some of it may be done by a part that goes in for another reason.
    :param no_way: why a place of it is not reached; None where all are.
    """

    def __init__(
        self,
        actions: tuple[Action, ...],
        *,
        work: int,
        adds_cents: int,
        gives: Iterable[str],
        packs_out: int,
        uneven: bool,
        mends: bool,
        no_way: NoWay | None,
    ) -> None:
        self.actions = actions
        self.work = work
        self.adds_cents = adds_cents
        self.uses = counts(Counter(kind for action in actions for _, kind in action.parts))
        self.gives = counts(Counter(gives))
        self.packs_out = packs_out
        self.uneven = uneven
        self.mends = mends
        self.no_way = no_way
        self.filled = frozenset(a.place for a in actions if a.verb is Verb.FIT)
        self.emptied = frozenset(a.place for a in actions if a.verb is Verb.TAKE_OUT)


def added_up(several: Iterable[tuple[PartCount, ...]]) -> tuple[PartCount, ...]:
    """Kinds and how many in all, by kind."""
    some = [one for one in several if one]
    if len(some) < 2:
        return some[0] if some else ()
    total: dict[str, int] = {}
    for one in some:
        for part in one:
            total[part.kind] = total.get(part.kind, 0) + part.count
    return counts(total)
