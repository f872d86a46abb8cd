"""Logs that a machine can read, with request and person, and no secret."""

import json
import logging

from django.test import TestCase

from sortis_server.asked import HEADER, JsonLine
from tests.server.workshop import Workshop


class Asked(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def lines(self, ask) -> list[dict]:
        with self.assertLogs("sortis.asked", "INFO") as written:
            self.answer = ask()
        return [json.loads(JsonLine().format(record)) for record in written.records]

    def test_each_request_is_one_line_with_who_asked_and_how_it_ended(self):
        (unit,) = self.announce("stilt")
        client = self.client_of(self.ines)
        (line,) = self.lines(lambda: client.get(f"/api/units/{unit.tag}/inspection?x=secret"))
        self.assertEqual((line["method"], line["status"], line["person"]), ("GET", 200, "ines"))
        self.assertIn(f"tag={unit.tag}", line["route"])
        self.assertGreater(line["ms"], 0)
        self.assertRegex(self.answer.headers[HEADER], r"^[0-9a-f]{16}$")
        self.assertNotIn("secret", json.dumps(line))

    def test_no_key_of_an_address_is_written_down(self):
        for path in ("/p/hardly-guessed", "/api/people/invited/hardly-guessed"):
            (line,) = self.lines(lambda path=path: self.client.get(path))
            self.assertNotIn("guessed", json.dumps(line), path)
            self.assertEqual(line["person"], "")

    def test_a_password_is_written_nowhere(self):
        body = {"username": "ines", "password": "tide-and-more"}
        lines = self.lines(lambda: self.client.post("/api/session", body, "application/json"))
        self.assertNotIn("tide", json.dumps(lines))

    def test_what_is_logged_meanwhile_names_its_request(self):
        record = logging.LogRecord("x", logging.ERROR, "", 0, "a %s", ("fault",), None)
        line = json.loads(JsonLine().format(record))
        self.assertEqual((line["level"], line["message"]), ("error", "a fault"))
        self.assertNotIn("request", line)
        self.assertTrue(line["at"].endswith("+00:00"))
