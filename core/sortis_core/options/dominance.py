"""Drop options that another one is never worse than.

One option *dominates* another of the same unit and standard when it uses no part that the other
does not use, gives every part that the other gives, takes no more minutes of any skill, leaves at
least as much before parts, and bows to the same schools. Whatever plan holds the other still holds
with the first in its place (what it does not use stays free, what it gives more may lie idle), so
no optimum is lost.
"""

from collections.abc import Mapping, Sequence
from typing import TypeVar

from sortis_core.options.option import Dominated, Option, OutcomeKind

Of = TypeVar("Of")


def worth_a_variable(options: Sequence[Option], wanted: frozenset[str]) -> tuple[int, ...]:
    """Indices of the options that a plan may need, over all standards and outcomes of a unit.

    Here a dearer standard that costs no more beats a cheaper one, which is true for a batch as
    long as nobody asks for the cheaper one. What a donor gives is settled with the batch: it
    is compared with nothing. A unit that can be sold is never given up for one that
    cannot, so that the goal of most units ready loses nothing either.

    :param wanted: standards that somebody asks for by name; their options stay.
    """
    measures = [_Measure(option) for option in options]
    kept: list[int] = []
    order = sorted(
        range(len(options)),
        key=lambda o: (measures[o].parts, -options[o].net_cents, options[o].minutes, o),
    )
    for o in order:
        donor = options[o].outcome is OutcomeKind.DONOR
        if (
            donor
            or options[o].standard in wanted
            or not any(
                options[k].outcome is not OutcomeKind.DONOR
                and options[k].outcome.ready >= options[o].outcome.ready
                and measures[k].never_worse_than(measures[o])
                for k in kept
            )
        ):
            kept.append(o)
    return tuple(sorted(kept))


def _within(few: Sequence[tuple[Of, float]], many: Mapping[Of, float]) -> bool:
    """Whether of nothing there is more in the first; this is asked of every two options."""
    return not few or all([figure <= many.get(one, 0) for one, figure in few])


class _Measure:
    """What an option takes and gives, ready to be compared."""

    def __init__(self, option: Option) -> None:
        self.option = option
        uses = [(part.kind, part.count) for part in option.uses]
        gives = [(part.kind, part.count) for part in option.yields]
        skills = [(one.skill, one.minutes) for one in option.skills]
        self._uses, self._gives, self._skills = uses, gives, skills
        self._of_uses, self._of_gives, self._of_skills = dict(uses), dict(gives), dict(skills)
        self._net, self._minutes = option.net_cents, option.minutes
        self._new_only, self._uneven = option.new_only, option.uneven
        self.parts = sum([count for _, count in uses])

    def never_worse_than(self, other: "_Measure") -> bool:
        return (
            self._net >= other._net
            and self._minutes <= other._minutes
            and self._new_only <= other._new_only
            and self._uneven <= other._uneven
            and _within(self._uses, other._of_uses)
            and _within(other._gives, self._of_gives)
            and _within(self._skills, other._of_skills)
        )


def undominated(options: Sequence[Option]) -> tuple[list[Option], list[Dominated]]:
    """The options worth planning with, and the dropped ones with what beats each.

    Of options that are alike in everything the first by key stays.
    """
    ordered = sorted(
        (_Measure(option) for option in options),
        key=lambda m: (m.parts, -m.option.net_cents, m.option.minutes, m.option.key),
    )
    kept: list[_Measure] = []
    dropped: list[Dominated] = []
    for measure in ordered:
        by = next((other for other in kept if other.never_worse_than(measure)), None)
        if by is None:
            kept.append(measure)
        else:
            dropped.append(Dominated(option=measure.option, by=by.option))
    place = {option.key: n for n, option in enumerate(options)}
    return sorted((m.option for m in kept), key=lambda o: place[o.key]), dropped
