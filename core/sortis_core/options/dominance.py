"""Drop options that another one is never worse than.

One option *dominates* another of the same unit and standard when it uses no part that the other
does not use, gives every part that the other gives, takes no more minutes of any skill, leaves at
least as much before parts, and bows to the same schools. Whatever plan holds the other still holds
with the first in its place (what it does not use stays free, what it gives more may lie idle), so
no optimum is lost.
"""

from collections.abc import Iterable, Sequence

from sortis_core.options.option import Dominated, Option, OutcomeKind


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
    compared: list[_Measure] = []
    order = sorted(
        range(len(options)),
        key=lambda o: (measures[o].parts, -measures[o].net, measures[o].minutes, o),
    )
    for o in order:
        donor = options[o].outcome is OutcomeKind.DONOR
        if donor:
            kept.append(o)
        elif options[o].standard in wanted or not _beaten_by(measures[o], compared):
            kept.append(o)
            compared.append(measures[o])
    return tuple(sorted(kept))


class _Measure:
    """What an option takes and gives, ready to be compared."""

    __slots__ = (
        "gives",
        "minutes",
        "net",
        "new_only",
        "of_skills",
        "option",
        "parts",
        "ready",
        "skills",
        "uneven",
        "uses",
    )

    def __init__(self, option: Option) -> None:
        self.option = option
        # Two of a kind are its first and its second: whether there are fewer is then a matter of
        # sets.
        self.uses = frozenset([each for part in option.uses for each in part.one_by_one])
        self.gives = frozenset([each for part in option.yields for each in part.one_by_one])
        self.skills = option.skills
        self.of_skills = {one.skill: one.minutes for one in option.skills}
        self.net, self.minutes = option.net_cents, option.minutes
        self.new_only, self.uneven = option.new_only, option.uneven
        self.ready = option.outcome.ready
        self.parts = len(self.uses)


def _beaten_by(one: _Measure, others: Iterable[_Measure]) -> _Measure | None:
    """The first of the others that is never worse; this is asked of every two options."""
    uses, gives, net, minutes = one.uses, one.gives, one.net, one.minutes
    for other in others:
        if (
            other.net >= net
            and other.minutes <= minutes
            and other.uses <= uses
            and gives <= other.gives
            and other.new_only <= one.new_only
            and other.uneven <= one.uneven
            and other.ready >= one.ready
            and all([s.minutes <= one.of_skills.get(s.skill, 0) for s in other.skills])
        ):
            return other
    return None


def undominated(options: Sequence[Option]) -> tuple[list[Option], list[Dominated]]:
    """The options worth planning with, and the dropped ones with what beats each.

    Of options that are alike in everything the first by key stays.
    """
    ordered = sorted(
        (_Measure(option) for option in options),
        key=lambda m: (m.parts, -m.net, m.minutes, m.option.key),
    )
    kept: list[_Measure] = []
    dropped: list[Dominated] = []
    for measure in ordered:
        by = _beaten_by(measure, kept)
        if by is None:
            kept.append(measure)
        else:
            dropped.append(Dominated(option=measure.option, by=by.option))
    place = {option.key: n for n, option in enumerate(options)}
    return sorted((m.option for m in kept), key=lambda o: place[o.key]), dropped
