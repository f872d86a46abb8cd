"""What a monitoring system reads."""

from django.test import Client, TestCase, override_settings
from prometheus_client.parser import text_string_to_metric_families

from sortis_server.arrive.models import Unit
from sortis_server.background.alive import tell_alive
from tests.server.workshop import Workshop

KEY = "a key of the environment"


@override_settings(METRICS_KEY=KEY)
class Figures(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def read(self) -> dict[tuple[str, tuple[tuple[str, str], ...]], float]:
        answer = Client().get("/metrics", headers={"Authorization": f"Bearer {KEY}"})
        self.assertEqual(answer.status_code, 200)
        families = text_string_to_metric_families(answer.content.decode())
        return {
            (sample.name, tuple(sorted(sample.labels.items()))): sample.value
            for family in families
            for sample in family.samples
        }

    def test_it_is_off_without_a_key_and_shut_without_the_right_one(self):
        with self.settings(METRICS_KEY=""):
            self.assertEqual(Client().get("/metrics").status_code, 404)
        for sent in ({}, {"Authorization": "Bearer other"}, {"Authorization": KEY}):
            self.assertEqual(Client().get("/metrics", headers=sent).status_code, 401, sent)
        self.assertEqual(self.client_of(self.marit).get("/metrics").status_code, 401)

    def test_requests_are_counted_by_pattern_and_status(self):
        found = ("route", "api/units/<tag>/story"), ("status", "404")
        name = "sortis_requests_total", (("method", "GET"), *found)
        before = self.read().get(name, 0.0)
        for tag in ("ZZ-9001", "ZZ-9002"):
            self.api("get", f"units/{tag}/story", status=404)
        after = self.read()
        self.assertEqual(after[name] - before, 2)
        took = "sortis_request_seconds_count", (("method", "GET"), found[0])
        self.assertGreaterEqual(after[took], 2)

    def test_a_method_that_nobody_knows_makes_no_figure_of_its_own(self):
        for method in ("BREW", "MAKE"):
            Client().generic(method, "/alive")
        methods = {dict(labels).get("method") for _, labels in self.read()}
        self.assertIn("other", methods)
        self.assertEqual(methods & {"BREW", "MAKE"}, set())

    def test_units_and_tasks_are_told_as_they_stand(self):
        units = self.announce("stilt", "stilt", "lern")
        self.inspect(units[0])
        told = self.read()
        self.assertEqual(told["sortis_units", (("stage", "inspect"),)], 2)
        self.assertEqual(told["sortis_units", (("stage", "decide"),)], 1)
        Unit.objects.filter(pk=units[1].pk).update(blocked=True)
        self.assertEqual(self.read()["sortis_units_blocked", ()], 1)
        self.assertEqual(self.read()["sortis_workers", ()], 0)
        tell_alive("worker-here")
        self.assertEqual(self.read()["sortis_workers", ()], 1)
        self.assertEqual(told["sortis_oldest_task_seconds", ()], 0)
        self.assertEqual(told["sortis_standbys", ()], 0)
        self.assertEqual(told["sortis_standby_confirms", ()], 0)

    def test_neither_tags_nor_people_are_in_it(self):
        (unit,) = self.announce("stilt")
        self.api("get", f"units/{unit.tag}/story")
        answer = Client().get("/metrics", headers={"Authorization": f"Bearer {KEY}"})
        for secret in (unit.tag, self.marit.username, self.batch.slug):
            self.assertNotIn(secret, answer.content.decode())
