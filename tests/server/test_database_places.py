"""Which of several databases an application writes to."""

from types import SimpleNamespace
from unittest import mock

from django.db import OperationalError
from django.db.backends.mysql import base as djangos
from django.test import SimpleTestCase

from sortis_server.database import base
from sortis_server.database.base import DatabaseWrapper
from sortis_server.database.places import Place, places_of


class Places(SimpleTestCase):
    def test_they_read_as_written(self):
        for told, found in (
            ("db.example", [("db.example", 3310)]),
            ("db.example:3307", [("db.example", 3307)]),
            ("10.0.0.1:3306, 10.0.0.2", [("10.0.0.1", 3306), ("10.0.0.2", 3310)]),
            ("[::1]:3306,[::2]", [("::1", 3306), ("::2", 3310)]),
        ):
            with self.subTest(told):
                self.assertEqual(places_of(told, "3310"), found)
        self.assertEqual(places_of("db.example", ""), [("db.example", 3306)])

    def test_what_is_none_is_refused(self):
        for told in ("", ",", "a:0", "a:x", "a:70000", "a,,b", ":3306", "::1", "[a]:1"):
            with self.subTest(told), self.assertRaisesRegex(ValueError, "no place"):
                places_of(told)


class Written(SimpleTestCase):
    """Two databases, as a pair has them, without either."""

    databases: set[str] = set()

    def setUp(self):
        self.enterContext(mock.patch.dict(base._last, clear=True))
        self.enterContext(mock.patch.dict(base._silent, clear=True))
        self.roles = {"first": "written", "second": "follows"}
        self.asked: list[str] = []
        self.enterContext(
            mock.patch.object(djangos.DatabaseWrapper, "get_new_connection", self.link)
        )

    def link(self, params):
        host = params["host"]
        self.asked.append(host)
        self.params = params
        if self.roles[host] == "gone":
            raise djangos.Database.OperationalError(2002, "no answer")
        return self.Link(self, host)

    def told(self, host: str, question: str) -> list[tuple[str, str]]:
        """As MariaDB answers, with what was asked for and no more."""
        role = self.roles[host]
        all_of_it = {
            "read_only": "ON" if role == "follows" else "OFF",
            "wsrep_on": "ON" if role.startswith("node") else "OFF",
            "wsrep_ready": "OFF" if role == "node cut off" else "ON",
            "wsrep_local_index": role.removeprefix("node ") if "node" in role else "0",
        }
        return [(name, value) for name, value in all_of_it.items() if f"'{name}'" in question]

    class Link:
        def __init__(self, case, host):
            self.case, self.host, self.is_open = case, host, True

        def cursor(self):
            asked: list[str] = []
            told = SimpleNamespace(
                execute=asked.append, fetchall=lambda: self.case.told(self.host, asked[-1])
            )
            return mock.MagicMock(__enter__=lambda _: told)

        def close(self):
            self.is_open = False

    def wrapper(self, hosts: str = "first,second") -> DatabaseWrapper:
        settings = {"HOST": hosts, "PORT": "3306"}
        made = DatabaseWrapper.__new__(DatabaseWrapper)
        made.settings_dict = settings
        return made

    def test_it_is_the_one_that_is_written_whatever_the_order(self):
        for hosts in ("first,second", "second,first"):
            self.assertEqual(self.wrapper(hosts).get_new_connection({}).host, "first")

    def test_where_it_was_last_is_asked_first(self):
        self.roles = {"first": "gone", "second": "written"}
        self.wrapper().get_new_connection({})
        self.wrapper().get_new_connection({})
        self.assertEqual(self.asked, ["first", "second", "second"])

    def test_a_link_to_one_that_gave_way_is_not_used_again(self):
        wrapper = self.wrapper()
        wrapper.connection = wrapper.get_new_connection({})
        self.assertTrue(wrapper.is_usable())
        self.roles = {"first": "follows", "second": "written"}
        self.assertFalse(wrapper.is_usable())
        self.assertEqual(wrapper.get_new_connection({}).host, "second")

    def test_a_link_to_one_that_was_out_of_reach_is_not_used_again_whatever_it_says(self):
        waiting, other = self.wrapper(), self.wrapper()
        waiting.connection = waiting.get_new_connection({})
        self.roles = {"first": "gone", "second": "written"}
        self.assertEqual(other.get_new_connection({}).host, "second")
        # Plugged in again, it does not know yet that the other took its place.
        self.roles = {"first": "written", "second": "written"}
        self.assertFalse(waiting.is_usable())
        self.assertEqual(waiting.get_new_connection({}).host, "second")

    def test_an_answer_that_stood_still_while_another_took_its_place_is_none(self):
        wrapper = self.wrapper()
        wrapper.connection = wrapper.get_new_connection({})
        answer = base._is_written

        def late(link) -> bool:
            base._last["first,second"] = Place("second", 3306)
            return answer(link)

        with mock.patch.object(base, "_is_written", late):
            self.assertFalse(wrapper.is_usable())

    def committed(self, *after: float) -> None:
        """A link is made, and something written by it after so many seconds each time."""
        done = mock.patch.object(djangos.DatabaseWrapper, "_commit")
        with done, mock.patch.object(base.time, "monotonic") as clock:
            clock.return_value = 100.0
            wrapper = self.wrapper()
            wrapper.get_connection_params = dict
            wrapper.connection = wrapper.get_new_connection({})
            self.asked.clear()
            for seconds in after:
                clock.return_value += seconds
                wrapper._commit()

    def test_what_stood_still_while_another_took_its_place_is_not_answered(self):
        self.roles = {"first": "written", "second": "written"}
        with self.assertRaises(OperationalError) as lost:
            self.committed(base.SURE_SECONDS + 1)
        self.assertEqual(lost.exception.args[0], base.LOST)
        # The next link leads to where it is written now.
        self.assertEqual(self.wrapper().get_new_connection({}).host, "second")

    def test_what_took_long_or_not_is_answered_where_no_other_is_written(self):
        longer = base.SURE_SECONDS + 1
        self.roles = {"first": "written", "second": "follows"}
        self.committed(base.SURE_SECONDS - 1)
        self.assertEqual(self.asked, [])
        # Found again to be the one, it is sure for as long again.
        self.committed(longer, base.SURE_SECONDS - 1, longer)
        self.assertEqual(self.asked, ["second", "second"])
        # One that is silent holds nobody up twice.
        self.roles = {"first": "written", "second": "gone"}
        self.committed(longer, longer)
        self.assertEqual(self.asked, ["second"])
        self.committed(longer, base.SILENT_SECONDS)
        self.assertEqual(self.asked, ["second"])

    def test_where_none_is_written_nothing_is_written(self):
        self.roles = {"first": "gone", "second": "follows"}
        with self.assertRaises((OperationalError, djangos.Database.OperationalError)):
            self.wrapper().get_new_connection({})
        self.roles = {"first": "follows", "second": "follows"}
        with self.assertRaisesRegex(OperationalError, "written"):
            self.wrapper().get_new_connection({})

    def test_in_a_cluster_all_write_to_the_node_that_it_counts_first(self):
        self.roles = {"first": "node 1", "second": "node 0"}
        wrapper = self.wrapper()
        wrapper.connection = wrapper.get_new_connection({})
        self.assertEqual(wrapper.connection.host, "second")
        self.roles = {"first": "node 0", "second": "node 1"}
        self.assertFalse(wrapper.is_usable())
        self.roles = {"first": "node 0", "second": "node cut off"}
        self.assertEqual(wrapper.get_new_connection({}).host, "first")

    def test_one_of_several_that_says_nothing_is_given_up_where_somebody_waits(self):
        self.wrapper().get_new_connection({})
        self.assertNotIn("read_timeout", self.params, "what changes the tables may take its time")
        with self.settings(DB_ANSWER_SECONDS=20):
            self.wrapper().get_new_connection({})
        self.assertEqual((self.params["read_timeout"], self.params["write_timeout"]), (20, 20))

    def test_one_place_is_asked_nothing_and_waited_for_as_long_as_it_takes(self):
        self.roles = {"first": "follows"}
        self.enterContext(self.settings(DB_ANSWER_SECONDS=20))
        self.assertEqual(self.wrapper("first").get_new_connection({}).host, "first")
        self.assertNotIn("read_timeout", self.params)
