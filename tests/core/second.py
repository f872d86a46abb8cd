"""A second enumeration of ways, written from docs/rules.md; it shares nothing with ``options/``.

Everything that could be done to a unit is tried, and whatever passes every gate by its second
reckoning is a way. Slow, and meant for units with few places and a store with few kinds.
"""

from collections import Counter
from collections.abc import Iterator
from itertools import combinations, permutations, product
from typing import NamedTuple

from sortis_core.actions import Action, Verb, after_actions
from sortis_core.findings import Findings, PartState, PlaceState, TestState
from sortis_core.plan import Case
from sortis_core.plan.recount import Recount
from sortis_core.plan.takes import memory_fault, misfit
from sortis_core.policy import BoardSchool, FillingSchool
from sortis_core.sheets import BOARD, Connector, ModelSheet, RequiredPart
from sortis_core.standards import Standard
from sortis_core.stock import BracketFacts, DriveFacts, ModuleFacts, PackFacts


class Way(NamedTuple):
    """One way a unit could end: what it takes, what it gives, what it leaves before parts."""

    uses: Counter[str]
    gives: Counter[str]
    net_cents: int
    minutes: float
    sold: bool = False
    premium_cents: int = 0
    fills: bool = False
    """Whether a module goes in."""


class Enumerator:
    """All ways of the units of one case. Every unit is wholly looked at; the school is the default.

    :param kinds: kinds that can be had at all, from the store or from another unit.
    :param spare: kinds that other units want; a module that works only comes out for those, or for
        a larger one.
    """

    def __init__(self, case: Case, kinds: set[str], spare: set[str] | None = None) -> None:
        self.case, self.can_be_had, self.spare = case, kinds, spare or set()
        self.sheets = {sheet.key: sheet for sheet in case.sheets}
        self.kinds = {kind.key: kind for kind in case.kinds}

    def fits(self, sheet: ModelSheet, place: str, kind: str, label: str = "") -> list[Action]:
        """The kind into the place, with whatever must go in with it."""
        extras: list[tuple[str, ...]] = [()]
        facts = self.kinds[kind].facts
        if isinstance(facts, DriveFacts):
            extras += [
                (key,)
                for key, other in self.kinds.items()
                if isinstance(other.facts, BracketFacts) and key in self.can_be_had
            ]
        if isinstance(facts, PackFacts):
            packs = (pack for pack in sheet.packs if pack.key == place)
            extras = [v.needs_kinds for p in packs for v in p.variants if v.family == facts.family]
        for extra in extras:
            action = Action(
                verb=Verb.FIT,
                place=place,
                kind=kind,
                extras=extra,
                takes_out_label=label,
                installs_system=isinstance(facts, DriveFacts),
            )
            known = {kind, *extra} <= self.can_be_had
            if known and not misfit(sheet, action, self.kinds):
                return [action]
        return []

    def slots(self, sheet: ModelSheet, unit: Findings) -> Iterator[list[list[Action]]]:
        for slot in sheet.memory.slots:
            there = unit.module(slot.key)
            ways: list[list[Action]] = [[]]
            label = "it" if there.state in (PlaceState.PRESENT, PlaceState.FAULTY) else ""
            wanted = bool(self.spare & set(self.own_module(sheet, unit, slot.key)))
            faulty = there.state is PlaceState.FAULTY
            if label and (wanted or faulty):
                out = Action(verb=Verb.TAKE_OUT, place=slot.key, takes_out_label=label)
                ways.append([out])
            if there.state is not PlaceState.DEAD:
                for kind in self.of_type(ModuleFacts):
                    gb = self.kinds[kind].facts.gb
                    if gb > (there.gb or 0) or (wanted and gb < (there.gb or 0)):
                        ways += [[a] for a in self.fits(sheet, slot.key, kind, label)]
            yield ways

    def drives(self, sheet: ModelSheet, unit: Findings) -> Iterator[list[list[Action]]]:
        for place in sheet.drives_of(unit.trim):
            there = unit.drive(place.key)
            ways: list[list[Action]] = [[]]
            if place.connector is not Connector.EMMC and there.state not in (
                PlaceState.DEAD,
                PlaceState.RADIO,
            ):
                held = there.state in (PlaceState.PRESENT, PlaceState.FAULTY)
                label = "it" if held else ""
                if held and (there.spinning or there.state is PlaceState.FAULTY):
                    ways.append(
                        [Action(verb=Verb.TAKE_OUT, place=place.key, takes_out_label=label)]
                    )
                for kind in self.of_type(DriveFacts):
                    if not self.kinds[kind].facts.spinning:
                        ways += [[a] for a in self.fits(sheet, place.key, kind, label)]
            yield ways

    def packs(self, sheet: ModelSheet, unit: Findings) -> Iterator[list[list[Action]]]:
        for place in sheet.packs_of(unit.trim):
            held = unit.pack(place.key).state in (PlaceState.PRESENT, PlaceState.FAULTY)
            ways: list[list[Action]] = [[]]
            for kind in self.of_type(PackFacts):
                ways += [
                    [a] for a in self.fits(sheet, place.key, kind, "worn pack" if held else "")
                ]
            yield ways

    def boards(self, sheet: ModelSheet, unit: Findings) -> list[list[Action]]:
        """A good board makes room for none with less memory."""
        ways: list[list[Action]] = [[]]
        kinds = {board.kind for board in sheet.boards}
        tests = [t.key for t in sheet.tests if t.repair and t.repair.kind in kinds]
        good = not any(unit.test(test).bad for test in ("starts", *tests))
        if self.case.policy.board is not BoardSchool.NEVER_SWAP:
            for board in sheet.boards:
                less = good and board.soldered_gb < (unit.soldered_gb or 0)
                if board.kind in self.can_be_had and not less:
                    ways += [[a] for a in self.fits(sheet, BOARD, board.kind, "old board")]
        return ways

    def of_type(self, facts: type) -> list[str]:
        return [k for k in sorted(self.can_be_had) if isinstance(self.kinds[k].facts, facts)]

    def completed(
        self, sheet: ModelSheet, unit: Findings, actions: list[Action]
    ) -> list[list[Action]]:
        """With the parts that are missing then, and the repairs; none where one cannot be had.

        What comes free with a disk that goes serves the same job, and may come out for others.
        """
        fitted = {a.place for a in actions if a.kind}
        emptied = {a.place for a in actions if not a.kind}
        more: list[Action] = []
        lacking: set[str] = set()
        kit: dict[str, Action] = {}
        parts = {part.key: part for part in sheet.parts_of(unit.trim)}
        for part in parts.values():
            bay = part.only_with_drive_in
            there = unit.drive(bay).state is PlaceState.PRESENT and bay not in emptied
            if not bay or bay in fitted or there:
                if unit.part(part.key) is not PartState.PRESENT:
                    lacking |= {part.key, *part.goes_with}
        for key in sorted(lacking):
            broken = unit.part(key) is PartState.BROKEN
            label = "broken part" if broken else ""
            kind = parts[key].kind
            free = [p for p in parts.values() if p.kind == kind and self.is_free(p, unit, actions)]
            if unused := [part for part in free if part.key not in kit]:
                kit[unused[0].key] = self.out(unused[0])
                more.append(Action(verb=Verb.FIT, place=key, kind=kind, takes_out_label=label))
                continue
            if not (action := self.fits(sheet, key, kind, label)):
                return []
            more += action
        going_in = {a.kind for a in more}
        boards = {board.kind for board in sheet.boards}
        for test in sheet.tests_of(unit.trim):
            state = unit.test(test.key)
            if state is TestState.PASSED:
                continue
            repair = test.repair
            if repair and (repair.kind in boards or repair.kind in going_in):
                continue
            if test.attempt and state is TestState.FAILED:
                more.append(Action(verb=Verb.MEND, place=test.key))
            elif repair is None or not (action := self.fits(sheet, test.key, repair.kind, "old")):
                return []
            else:
                more += action
        every = [*actions, *kit.values(), *more]
        others = [
            self.out(part)
            for part in parts.values()
            if part.key not in kit and part.kind in self.spare and self.is_free(part, unit, actions)
        ]
        return [every, [*every, *others]] if others else [every]

    def is_free(self, part: RequiredPart, unit: Findings, actions: list[Action]) -> bool:
        """Whether it is there, and belongs to a bay that is emptied."""
        bay = part.only_with_drive_in
        empty = any(a.place == bay and not a.kind for a in actions)
        there = unit.part(part.key) is PartState.PRESENT
        return bool(bay) and empty and there and part.kind in self.kinds

    def out(self, part: RequiredPart) -> Action:
        return Action(
            verb=Verb.TAKE_OUT, place=part.key, takes_out=part.kind, takes_out_label="kit"
        )

    def sold(self, unit: Findings, standard: Standard) -> list[Way]:
        """Every way to the standard; where none fills all channels, none is the dearer for it."""
        ways = list(self.each_sold(unit, standard))
        if any(way.fills and not way.premium_cents for way in worth_trying(ways)):
            return ways
        return [way._replace(premium_cents=0) for way in ways]

    def each_sold(self, unit: Findings, standard: Standard) -> Iterator[Way]:
        case, sheet = self.case, self.sheets[unit.sheet]
        price = standard.price_cents(sheet.key, unit)
        if price is None:
            return
        sides = [
            self.boards(sheet, unit),
            *self.slots(sheet, unit),
            *self.drives(sheet, unit),
            *self.packs(sheet, unit),
        ]
        finished = (
            actions
            for chosen in product(*sides)
            for actions in self.completed(sheet, unit, [a for side in chosen for a in side])
        )
        for actions in finished:
            if self.leaves_a_disk(sheet, unit, actions):
                continue
            done = tuple(actions)
            after = after_actions(sheet, unit, done, self.kinds)
            if any(gate.audit(sheet, after, case.policy).fault for gate in standard.gates):
                continue
            changed = any(a.place in after.modules and a.kind for a in done)
            if changed and memory_fault(sheet, after, case.policy):
                continue
            work = Recount(sheet, unit, done, case.policy)
            minutes = work.minutes(donor=False)
            minutes += sum(g.audit(sheet, unit, case.policy).minutes for g in standard.gates)
            packs = {pack.key for pack in sheet.packs}
            out = sum(1 for a in done if a.place in packs and a.takes_out_label)
            fees = work.consumables_cents() + out * case.policy.pack_disposal_cents
            more = sum(
                step.adds_cents
                for step in standard.steps
                if step.holds_for(sheet)
                and not step.gate.audit(sheet, after, step.reckoned(case.policy)).fault
            )
            labour = round(minutes * case.policy.labour_cents_per_hour / 60)
            yield Way(
                uses=Counter(kind for a in done for _, kind in a.parts),
                gives=Counter(self.comes_free(sheet, unit, done)),
                net_cents=price + more - labour - fees,
                minutes=minutes,
                sold=True,
                premium_cents=self.premium(sheet, after) if changed else 0,
                fills=changed,
            )

    def leaves_a_disk(self, sheet: ModelSheet, unit: Findings, actions: list[Action]) -> bool:
        """Whether a spinning disk stays beside a new drive that carries the system."""
        places = {place.key for place in sheet.drives_of(unit.trim)}
        changed = {a.place for a in actions if a.place in places}
        stays = any(unit.drive(place).spinning for place in places - changed)
        return stays and any(a.kind for a in actions if a.place in places)

    def premium(self, sheet: ModelSheet, after: Findings) -> int:
        """What a filling counts as costing more whose channels differ."""
        if self.case.policy.filling is not FillingSchool.MATCHED:
            return 0
        filled = {slot.channel: 0 for slot in sheet.memory.slots}
        if sheet.memory.soldered:
            filled["soldered"] = after.soldered_gb or 0
        for slot in sheet.memory.slots:
            module = after.module(slot.key)
            filled[slot.channel] += module.gb or 0 if module.state is PlaceState.PRESENT else 0
        for channel in {slot.channel for slot in sheet.memory.slots}:
            slots = [after.module(s.key) for s in sheet.memory.slots if s.channel == channel]
            if all(module.state is PlaceState.DEAD for module in slots):
                del filled[channel]
        uneven = len(set(filled.values())) > 1
        return self.case.policy.matched_premium_cents if uneven else 0

    def comes_free(
        self, sheet: ModelSheet, unit: Findings, actions: tuple[Action, ...]
    ) -> Iterator[str]:
        for action in actions:
            if action.place == BOARD:
                yield from self.own_board(sheet, unit)
            if unit.module(action.place).state is PlaceState.PRESENT:
                yield from self.own_module(sheet, unit, action.place)
            kit = next((part for part in sheet.parts if part.key == action.place), None)
            if kit and not action.kind:
                yield kit.kind

    def own_module(self, sheet: ModelSheet, unit: Findings, slot: str) -> list[str]:
        there = unit.module(slot)
        return [
            key
            for key, kind in sorted(self.kinds.items())
            if isinstance(kind.facts, ModuleFacts)
            and (kind.facts.gb, kind.facts.generation) == (there.gb, sheet.memory.generation)
            and kind.facts.form is sheet.memory.form
            and there.mts in (None, kind.facts.mts)
        ][:1]

    def own_board(self, sheet: ModelSheet, unit: Findings) -> list[str]:
        boards = {board.kind: board for board in sheet.boards if board.kind}
        by_board = [t.key for t in sheet.tests if t.repair and t.repair.kind in boards]
        if any(unit.test(test) is not TestState.PASSED for test in ("starts", *by_board)):
            return []
        if sheet.memory.soldered:
            boards = {k: b for k, b in boards.items() if b.soldered_gb == unit.soldered_gb}
        return list(boards) if len(boards) == 1 else []

    def could_give(self, unit: Findings) -> list[tuple[str, str]]:
        """(place, kind) of everything that works in a unit and that a store knows."""
        sheet = self.sheets[unit.sheet]
        found: list[tuple[str, str]] = []
        for slot in sheet.memory.slots:
            if unit.module(slot.key).state is PlaceState.PRESENT:
                found += [(slot.key, kind) for kind in self.own_module(sheet, unit, slot.key)]
        tests = [test for test in sheet.tests_of(unit.trim) if test.repair]
        failed = {t.repair.kind for t in tests if unit.test(t.key).bad}
        parts = sheet.parts_of(unit.trim)
        listed = {part.kind for part in parts} | {board.kind for board in sheet.boards}
        found += [
            (part.key, part.kind)
            for part in parts
            if unit.part(part.key) is PartState.PRESENT and part.kind not in failed
        ]
        found += [
            (t.key, t.repair.kind)
            for t in tests
            if unit.test(t.key) is TestState.PASSED and t.repair.kind not in listed
        ]
        found += [(BOARD, kind) for kind in self.own_board(sheet, unit)]
        return found

    def given(self, unit: Findings, wanted: set[str]) -> Iterator[Way]:
        """A donor, for every set of parts that somebody wants."""
        sheet, policy = self.sheets[unit.sheet], self.case.policy
        found = self.could_give(unit)
        found = [(place, kind) for place, kind in found if kind in wanted]
        for size in range(1, len(found) + 1):
            for taken in combinations(found, size):
                actions = tuple(
                    Action(verb=Verb.TAKE_OUT, place=p, takes_out=k, takes_out_label="it")
                    for p, k in taken
                )
                minutes = Recount(sheet, unit, actions, policy).minutes(donor=True)
                minutes += 0 if unit.starts else size * policy.part_test_minutes
                labour = minutes * policy.labour_cents_per_hour / 60
                yield Way(
                    uses=Counter(),
                    gives=Counter(kind for _, kind in taken),
                    net_cents=round(-labour) - policy.recycle_cents,
                    minutes=minutes,
                )


def worth_trying(ways: list[Way]) -> list[Way]:
    """Without those that another way beats in everything."""
    kept: list[Way] = []
    for way in sorted(ways, key=lambda w: (-w.net_cents + w.premium_cents, w.uses.total())):
        if not any(
            other.uses <= way.uses
            and way.gives <= other.gives
            and other.minutes <= way.minutes
            and other.net_cents - other.premium_cents >= way.net_cents - way.premium_cents
            for other in kept
        ):
            kept.append(way)
    return kept


def in_turn(ways: tuple[Way, ...]) -> Counter[str]:
    """What the store must give where each unit takes only from those before it."""
    pool: Counter[str] = Counter()
    bought: Counter[str] = Counter()
    for way in ways:
        need = way.uses - way.gives
        taken = need & pool
        pool -= taken
        bought += need - taken
        pool += way.gives - way.uses
    return bought


def best_of_all(case: Case) -> int:
    """The most that a tiny case without offers can leave, in cents, premium of uneven counted."""
    units = [unit.findings for unit in case.units]
    store = Counter({lot.kind: 0 for lot in case.lots})
    cost = {lot.kind: lot.unit_cost_cents for lot in case.lots}
    for lot in case.lots:
        store[lot.kind] += lot.count
    every = {kind.key for kind in case.kinds}
    for_others = [{kind for _, kind in Enumerator(case, every).could_give(unit)} for unit in units]

    def all_sold(spare: list[set[str]]) -> list[list[Way]]:
        found: list[list[Way]] = []
        for n, unit in enumerate(units):
            others = {k for m, kinds in enumerate(for_others) if m != n for k in kinds}
            own = Enumerator(case, set(store) | others, spare[n])
            found.append(worth_trying([w for s in case.standards for w in own.sold(unit, s)]))
        return found

    # What comes free is worth something only where somebody uses it: nobody uses a module only to
    # free another.
    nothing = Counter[str]()
    first = [
        worth_trying([way._replace(gives=nothing) for way in ways])
        for ways in all_sold([set() for _ in units])
    ]
    sold = all_sold(
        [
            {k for m, ways in enumerate(first) if m != n for way in ways for k in way.uses}
            for n in range(len(units))
        ]
    )
    ends: list[list[Way]] = []
    for n, unit in enumerate(units):
        wanted = {k for m, ways in enumerate(sold) if m != n for w in ways for k in w.uses}
        none = Counter[str]()
        policy = case.policy
        lowest = {kind.key: kind.harvest_value_cents for kind in case.kinds} | cost
        pays = any(
            w.net_cents > sum(lowest[k] * count for k, count in w.uses.items()) for w in sold[n]
        )
        rest = -policy.hold_cents if pays else -policy.recycle_cents
        given = list(Enumerator(case, every).given(unit, wanted))
        # What the shelf costs above the recycler is paid and decides nothing.
        shelf = -max(0, policy.hold_cents - policy.recycle_cents) if pays else 0
        ends.append([*sold[n], Way(none, none, rest, 0.0, False, shelf), *worth_trying(given)])
    best = -(10**9)
    for chosen in product(*ends):
        net = sum(way.net_cents - way.premium_cents for way in chosen)
        for turn in permutations(chosen):
            bought = in_turn(turn)
            if all(count <= store[kind] for kind, count in bought.items()):
                paid = sum(cost[kind] * count for kind, count in bought.items())
                best = max(best, net - paid)
    return best
