"""The day at the benches: holds by its own checker, best against trying everything, few changes."""

import unittest
from datetime import date
from itertools import pairwise, product

from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from sortis_core.day import (
    DayCase,
    DayJob,
    DayPin,
    FreeTime,
    Technician,
    day_faults,
    plan_days,
    what_moved,
)
from sortis_core.day.case import DAY_MINUTES
from sortis_core.day.solve import LEFT_OUT
from sortis_core.route.minutes import Skill
from tests.examples import few

MORNING, NOON = (480, 720), (765, 990)


def technician(
    key: str, *skills: Skill, days: int = 1, hours=(MORNING, NOON), **more
) -> Technician:
    free = tuple(
        FreeTime(start=day * DAY_MINUTES + start, end=day * DAY_MINUTES + end)
        for day in range(days)
        for start, end in hours
    )
    return Technician(key=key, name=key.title(), skills=skills or (Skill.BENCH,), free=free, **more)


def job(tag: str, minutes: float = 20, sheet: str = "folio", **more) -> DayJob:
    return DayJob(tag=tag, sheet=sheet, minutes=minutes, skills=(Skill.BENCH,), **more)


def case(jobs, people=None, **more) -> DayCase:
    return DayCase(
        first_day=date(2026, 11, 26),
        benches=more.pop("benches", 2),
        technicians=people or (technician("ana"), technician("ben")),
        jobs=tuple(jobs),
        **more,
    )


@st.composite
def cases(draw) -> DayCase:
    people = tuple(
        technician(
            name,
            *draw(st.sampled_from([(Skill.BENCH,), (Skill.BENCH, Skill.BOARD)])),
            days=draw(st.integers(1, 2)),
            speed=draw(st.sampled_from([0.8, 1.0, 1.3])),
        )
        for name in ("ana", "ben", "cleo")[: draw(st.integers(1, 3))]
    )
    count = draw(st.integers(1, 9))
    jobs = [
        DayJob(
            tag=f"T{n}",
            sheet=draw(st.sampled_from(["folio", "stilt"])),
            minutes=draw(st.floats(5, 260)),
            skills=(draw(st.sampled_from([Skill.BENCH, Skill.BENCH, Skill.BOARD])),),
            ready=draw(st.sampled_from([0, 0, DAY_MINUTES])),
            due=draw(st.sampled_from([None, DAY_MINUTES, 720])),
            after=(f"T{draw(st.integers(0, n - 1))}",) if n and draw(st.booleans()) else (),
        )
        for n in range(count)
    ]
    return case(jobs, people, benches=draw(st.integers(1, 3)))


class Examples(unittest.TestCase):
    def test_orders_of_a_model_follow_one_another(self):
        jobs = [job(f"T{n}", 30, sheet=("folio", "stilt")[n % 2]) for n in range(6)]
        plan = plan_days(case(jobs, (technician("ana"),)))
        sheets = [("folio", "stilt")[int(slot.tag[1]) % 2] for slot in plan.slots]
        self.assertEqual(sum(a != b for a, b in pairwise(sheets)), 1)

    def test_what_is_due_this_morning_is_done_this_morning(self):
        jobs = [job(f"T{n}", 60) for n in range(5)] + [job("due", 60, due=720)]
        plan = plan_days(case(jobs, (technician("ana"),)))
        self.assertLessEqual(next(s.end for s in plan.slots if s.tag == "due"), 720)
        self.assertEqual(plan.late, ())

    def test_a_giver_comes_before_its_taker(self):
        plan = plan_days(case([job("A-taker", after=("B-giver",)), job("B-giver")]))
        at = {slot.tag: slot for slot in plan.slots}
        self.assertLessEqual(at["B-giver"].end, at["A-taker"].start)

    def test_a_week_end_before_the_first_bench_opens_is_no_delay(self):
        def proofs(days_off: int) -> list[tuple[int, int]]:
            shift = days_off * DAY_MINUTES
            hours = tuple((start + shift, end + shift) for start, end in (MORNING, NOON))
            jobs = [job(f"T{n}", 30) for n in range(4)]
            plan = plan_days(case(jobs, (technician("ana", hours=hours),)))
            return [(proof.value, proof.bound) for proof in plan.proofs]

        # Four orders of half an hour on one morning: two hours, three times over, and the tools
        # laid out once, four minutes five times over.
        self.assertEqual(proofs(0)[1], (3 * 120 + 5 * 4, 3 * 120 + 5 * 4))
        self.assertEqual(proofs(2), proofs(0))

    def test_parts_that_come_tomorrow_wait_for_tomorrow(self):
        people = (technician("ana", days=2),)
        plan = plan_days(case([job("T1", ready=DAY_MINUTES)], people))
        self.assertGreaterEqual(plan.slots[0].start, DAY_MINUTES)

    def test_board_work_goes_to_who_can_do_it_and_waits_where_nobody_can(self):
        board = DayJob(tag="T1", sheet="folio", minutes=30, skills=(Skill.BOARD,))
        people = (technician("ana"), technician("ben", Skill.BENCH, Skill.BOARD))
        self.assertEqual(plan_days(case([board], people)).slots[0].technician, "ben")
        (wait,) = plan_days(case([board], people[:1])).waits
        self.assertIn("Nobody here has the skill: board work", wait.reason)

    def test_an_order_longer_than_every_stretch_waits_and_says_why(self):
        (wait,) = plan_days(case([job("T1", 300)])).waits
        self.assertIn("long enough", wait.reason)

    def test_who_waits_for_an_order_that_is_in_no_plan_waits_with_it(self):
        plan = plan_days(case([job("A", after=("B",)), job("B", 300)]))
        reasons = {wait.tag: wait.reason for wait in plan.waits}
        self.assertIn("part out of B", reasons["A"])

    def test_work_is_shared_evenly_where_it_costs_nothing(self):
        plan = plan_days(case([job(f"T{n}", 30) for n in range(6)]))
        people = {slot.technician for slot in plan.slots}
        self.assertEqual(people, {"ana", "ben"})

    def test_one_bench_is_never_used_by_two(self):
        plan = plan_days(case([job(f"T{n}", 30) for n in range(6)], benches=1))
        self.assertEqual({slot.bench for slot in plan.slots}, {1})
        self.assertEqual(len(plan.slots), 6)

    def test_a_hand_is_obeyed_and_moves_as_few_as_can_be(self):
        before = case([job(f"T{n}", 30) for n in range(6)])
        plan = plan_days(before)
        first = plan.slots[0]
        other = "ben" if first.technician == "ana" else "ana"
        pins = (DayPin(tag=first.tag, technician=other, stretch=765),)
        after = plan_days(before.model_copy(update={"pins": pins, "before": plan.slots}))
        at = next(slot for slot in after.slots if slot.tag == first.tag)
        self.assertEqual((at.technician, at.start), (other, 765))
        moved = {one.tag for one in what_moved(plan.slots, after.slots)}
        people = {slot.tag: slot.technician for slot in plan.slots}
        changed = {s.tag for s in after.slots if s.technician != people[s.tag]}
        self.assertEqual(changed, {first.tag})
        self.assertIn(first.tag, moved)

    def test_an_order_less_leaves_the_others_where_they_are(self):
        jobs = [job(f"T{n}", 25, sheet=("folio", "stilt")[n % 2]) for n in range(8)]
        plan = plan_days(case(jobs))
        again = plan_days(case(jobs[1:], before=plan.slots))
        people = {slot.tag: slot.technician for slot in plan.slots}
        self.assertTrue(all(people[slot.tag] == slot.technician for slot in again.slots))

    def test_nonsense_is_refused_in_words(self):
        with self.assertRaisesRegex(ValidationError, "ends before it begins"):
            FreeTime(start=500, end=400)
        with self.assertRaisesRegex(ValidationError, "stands twice"):
            case([job("T1"), job("T1")])
        with self.assertRaisesRegex(ValidationError, "who is not here"):
            case([job("T1")], pins=(DayPin(tag="T1", technician="zoe"),))

    def test_the_checker_sees_every_way_to_break_a_plan(self):
        made = case([job("T1", 30, due=720), job("T2", 30, after=("T1",)), job("T3", 30)])
        plan = plan_days(made)
        self.assertEqual(day_faults(made, plan), [])

        def broken(tag: str, **changes) -> str:
            slots = tuple(s.model_copy(update=changes) if s.tag == tag else s for s in plan.slots)
            return " ".join(day_faults(made, plan.model_copy(update={"slots": slots})))

        one = next(slot for slot in plan.slots if slot.tag == "T1")
        self.assertIn("another length", broken("T1", end=one.end + 5))
        self.assertIn("outside the hours", broken("T1", start=0, end=30))
        self.assertIn("before T1 has given", broken("T1", start=900, end=930))
        self.assertIn("late orders are not", broken("T1", start=900, end=930))
        self.assertIn("bench is used that is not there", broken("T1", bench=9))
        left_out = plan.model_copy(update={"slots": plan.slots[1:]})
        self.assertIn("exactly once", " ".join(day_faults(made, left_out)))


class Properties(unittest.TestCase):
    @few(3)
    @given(cases())
    def test_every_plan_holds_and_the_same_case_gives_the_same_plan(self, made):
        plan = plan_days(made)
        self.assertEqual(day_faults(made, plan), [])
        self.assertEqual(plan_days(made), plan)
        for proof in plan.proofs:
            self.assertLessEqual(proof.bound, proof.value)

    @few(2)
    @given(cases())
    def test_another_pair_of_hands_never_leaves_more_undone(self, made):
        more = made.model_copy(
            update={
                "technicians": (*made.technicians, technician("dora", Skill.BENCH, Skill.BOARD)),
                "benches": made.benches + 1,
            }
        )
        self.assertLessEqual(_unmet(more), _unmet(made))

    @few(2)
    @given(st.lists(st.integers(20, 110), min_size=1, max_size=4), st.data())
    def test_no_way_of_giving_orders_out_does_better(self, minutes, data):
        due = [data.draw(st.sampled_from([None, 720])) for _ in minutes]
        made = case(
            [job(f"T{n}", m, due=d) for n, (m, d) in enumerate(zip(minutes, due, strict=True))]
        )
        room = {("ana", 0): 240, ("ana", 1): 225, ("ben", 0): 240, ("ben", 1): 225}
        best = min(
            sum(
                LEFT_OUT if place is None else int(d is not None and place[1] == 1)
                for place, d in zip(places, due, strict=True)
            )
            for places in product([None, *room], repeat=len(minutes))
            if all(
                sum(m for m, p in zip(minutes, places, strict=True) if p == key) <= most
                for key, most in room.items()
            )
        )
        self.assertEqual(plan_days(made).proofs[0].value, best)


def _unmet(made: DayCase) -> int:
    """Late and waiting orders as the first goal weighs them; fewer than LEFT_OUT are late here."""
    plan = plan_days(made)
    late = plan.proofs[0].value % LEFT_OUT if plan.proofs else 0
    return late + LEFT_OUT * len(plan.waits)
