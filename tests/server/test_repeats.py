"""A write that comes twice is done once; a deadlock is tried again before anybody sees it."""

import json
import threading
from unittest.mock import patch

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import OperationalError, connection
from django.test import TestCase, TransactionTestCase

from sortis_server.decide.models import CustomerOrder
from sortis_server.repeats.models import Answered
from sortis_server.stock import counting
from sortis_server.stock.models import Movement
from tests.server.test_bench import picture
from tests.server.workshop import Workshop

ORDER = {"customer": "Harbour school", "standard": "desk-ready", "count": 3}
RECEIVED = {"kind": "sodimm-ddr4-8", "place": "C-9", "count": 4, "unit_cost_cents": 900}


class Twice(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def send(self, path, body, name, person=None):
        return self.client_of(person or self.marit).post(
            f"/api/{path}",
            json.dumps(body),
            content_type="application/json",
            headers={"Idempotency-Key": name},
        )

    def test_parts_received_twice_under_one_name_are_booked_once(self):
        before = Movement.objects.count()
        first, second = (self.send("stock/received", RECEIVED, "name-0001") for _ in range(2))
        self.assertEqual(first.status_code, 200)
        self.assertEqual(first.content, second.content)
        self.assertEqual(second["Idempotent-Replayed"], "true")
        self.assertEqual(Movement.objects.count(), before + 1)
        self.send("stock/received", RECEIVED, "name-0002")
        self.assertEqual(Movement.objects.count(), before + 2)

    def test_customers_orders_and_notes_do_not_double(self):
        path = f"batches/{self.batch.slug}/customer-orders"
        for _ in range(3):
            self.assertEqual(self.send(path, ORDER, "name-0003").status_code, 200)
        self.assertEqual(CustomerOrder.objects.count(), 1)

    def test_a_refusal_is_no_answer_and_is_tried_again(self):
        path = f"batches/{self.batch.slug}/customer-orders"
        wrong = ORDER | {"standard": "none"}
        self.assertEqual(self.send(path, wrong, "name-0004").status_code, 422)
        self.assertEqual(self.send(path, ORDER, "name-0004").status_code, 200)

    def test_one_name_for_two_writes_is_refused(self):
        self.send("stock/received", RECEIVED, "name-0005")
        other = self.send("stock/received", RECEIVED | {"count": 5}, "name-0005")
        self.assertEqual(other.status_code, 422)
        self.assertIn("name of its own", other.json()["detail"])

    def test_a_name_is_somebodys(self):
        self.send("stock/received", RECEIVED, "name-0006")
        refused = self.send("stock/received", RECEIVED, "name-0006", self.ines)
        self.assertEqual(refused.status_code, 403)

    def test_a_name_that_is_none_is_refused(self):
        self.assertEqual(self.send("stock/received", RECEIVED, "no name!").status_code, 422)

    def test_a_picture_sent_twice_is_one_picture(self):
        (unit,) = self.announce("stilt")
        data = picture()
        for wrapped in ("one.jpg", "two.jpg"):
            file = SimpleUploadedFile(wrapped, data, "image/jpeg")
            answer = self.client_of(self.marit).post(
                f"/api/units/{unit.tag}/photos",
                {"file": file},
                headers={"Idempotency-Key": "name-0007"},
            )
            self.assertEqual(answer.status_code, 200, answer.content)
        self.assertEqual(unit.photos.count(), 1)


class AtOnce(Workshop, TransactionTestCase):
    def setUp(self):
        self.furnish()

    def test_both_of_a_pair_get_the_answer_of_the_one_that_was_done(self):
        gate = threading.Barrier(4)
        answers: list[tuple[int, bytes]] = []

        def send():
            client = self.client_of(self.marit)
            gate.wait()
            told = client.post(
                "/api/stock/received",
                json.dumps(RECEIVED),
                content_type="application/json",
                headers={"Idempotency-Key": "name-0008"},
            )
            answers.append((told.status_code, told.content))
            connection.close()

        before = Movement.objects.count()
        threads = [threading.Thread(target=send) for _ in range(4)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(Movement.objects.count(), before + 1)
        self.assertEqual(len(set(answers)), 1, answers)
        self.assertEqual(answers[0][0], 200)


class Deadlocks(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def receive(self, failures: int, number: int = 1213):
        """Book parts in while the database gives up so many times."""
        real, left = counting.move, [failures]

        def move(*args, **more):
            if left[0]:
                left[0] -= 1
                raise OperationalError(number, "Deadlock found when trying to get lock")
            return real(*args, **more)

        with patch.object(counting, "move", move), patch("time.sleep"):
            return self.client_of(self.marit).post(
                "/api/stock/received", json.dumps(RECEIVED), content_type="application/json"
            )

    def test_a_deadlock_is_tried_again_and_nobody_sees_it(self):
        before = Movement.objects.count()
        self.assertEqual(self.receive(3).status_code, 200)
        self.assertEqual(Movement.objects.count(), before + 1)
        self.assertEqual(Answered.objects.count(), 0)

    def test_one_that_never_ends_says_so(self):
        answer = self.receive(99)
        self.assertEqual(answer.status_code, 503)
        self.assertIn("try again", answer.json()["detail"])

    def test_another_error_of_the_database_is_not_tried_again(self):
        self.assertEqual(self.receive(1, number=2006).status_code, 503)
