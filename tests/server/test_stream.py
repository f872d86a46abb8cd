"""The stream: what others do is told as it happens, to whoever may hear it and for a while."""

import asyncio
import json
from unittest import mock

from asgiref.sync import sync_to_async
from django.db import InterfaceError, OperationalError, connection, connections
from django.test import AsyncClient, TestCase, TransactionTestCase, override_settings
from django.test.utils import CaptureQueriesContext

from sortis_core.documents import DocumentRefused
from sortis_server.live import settings as own
from sortis_server.live import stream
from sortis_server.live.marks import Looker, Marks, marks_for
from sortis_server.people.models import Person
from tests.server.workshop import Workshop

QUIET = {one: "" for one in ("batch", "stock", "day", "shelf", "unit", "unit_by", "unit_at")}


def marks(**changed: str) -> Marks:
    return Marks(**(QUIET | changed), others=[])


class Listening(TestCase):
    """One page that listens."""

    def test_only_news_is_told_and_only_the_newest(self):
        async def hear() -> None:
            listener = stream.Listener(Looker(1, "quay", ""))
            listener.tell(marks(stock="1"))
            listener.tell(marks(stock="2"))
            self.assertEqual((await listener.news.get()).stock, "2")
            listener.tell(marks(stock="2"))
            self.assertTrue(listener.news.empty())
            listener.tell(marks(stock="1"))
            self.assertEqual((await listener.news.get()).stock, "1")

        asyncio.run(hear())

    def test_one_person_cannot_take_all_places(self):
        hub = stream.Hub()
        hub.listeners = [stream.Listener(Looker(1, "", ""))] * stream.MOST_OF_ONE
        self.assertTrue(hub.is_full_for(1))
        self.assertFalse(hub.is_full_for(2))
        hub.listeners = [stream.Listener(Looker(n, "", "")) for n in range(stream.MOST)]
        self.assertTrue(hub.is_full_for(-1))

    def test_a_database_that_is_away_is_asked_again_and_nobody_is_sent_away(self):
        odd = DocumentRefused("The database holds a stage that nobody knows.")
        answers = [OperationalError(2006, "gone"), InterfaceError(0, ""), odd, [marks(stock="7")]]

        async def hear() -> str:
            hub = stream.Hub()
            listener = stream.Listener(Looker(1, "", ""))
            with (
                mock.patch.object(hub, "ask", side_effect=answers),
                mock.patch.object(stream, "REST_SECONDS", 0.01),
                self.assertLogs(stream.log, "WARNING"),
            ):
                hub.join(listener)
                told = await asyncio.wait_for(listener.news.get(), 5)
                hub.leave(listener)
            return told.stock

        self.assertEqual(asyncio.run(hear()), "7")

    def test_whoever_looks_for_all_ends_with_the_last_and_begins_with_the_next(self):
        async def come_and_go() -> None:
            hub = stream.Hub()
            with (
                mock.patch.object(hub, "ask", return_value=[marks()]) as asked,
                mock.patch.object(stream, "LOOK_SECONDS", 0.01),
            ):
                for _ in range(2):
                    listener = stream.Listener(Looker(1, "", ""))
                    hub.join(listener)
                    await asyncio.wait_for(listener.news.get(), 5)
                    hub.leave(listener)
                    await asyncio.sleep(0.05)
                    before = asked.await_count
                    await asyncio.sleep(0.05)
                    self.assertEqual(asked.await_count, before)

        asyncio.run(come_and_go())


class ForAll(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def test_many_cost_as_many_statements_as_one_and_hear_the_same(self):
        units = self.announce("stilt", "folio", "lern")
        self.inspect(units[0])
        people = [Person.objects.create(username=f"p{n}", name=f"Hand {n}") for n in range(3)]
        lookers = [
            Looker(person.pk, self.batch.slug, unit.tag)
            for person, unit in zip(people, units, strict=True)
        ]
        marks_for(lookers)  # Now everybody stands where they stand.
        with CaptureQueriesContext(connection) as one:
            marks_for(lookers[:1])
        with self.assertNumQueries(len(one)):
            together = marks_for(lookers)
        self.assertEqual(together, [marks_for([looker])[0] for looker in lookers])
        self.assertEqual(len({told.unit for told in together}), 3)
        self.assertEqual(together[0].unit_by, self.marit.name)

    def test_a_tag_is_the_same_however_it_was_typed(self):
        (unit,) = self.announce("stilt")
        one = Looker(self.marit.pk, "", unit.tag)
        other = Looker(self.ines.pk, "", unit.tag.lower())
        first, second = marks_for([one, other])
        self.assertEqual(first.unit, second.unit)
        self.assertEqual((first.others, second.others), ([self.ines.name], [self.marit.name]))

    def test_of_several_pages_of_one_person_the_last_says_where_they_are(self):
        here, there = self.announce("stilt", "stilt")
        lookers = [Looker(self.marit.pk, "", unit.tag) for unit in (here, there)]
        other = Looker(self.ines.pk, "", there.tag)
        self.assertEqual(marks_for([*lookers, other])[2].others, [self.marit.name])


@override_settings(ROOT_URLCONF=own.ROOT_URLCONF, MIDDLEWARE=own.MIDDLEWARE)
class Told(Workshop, TransactionTestCase):
    """Through its own addresses, as its process answers them."""

    def setUp(self):
        self.furnish()
        hub = stream.Hub()
        patch = mock.patch.object(stream, "hub", hub)
        patch.start()
        self.addCleanup(patch.stop)
        self.addCleanup(lambda: hub._thread.submit(connections.close_all).result())

    def listener(self, person: Person | None = None) -> AsyncClient:
        client = AsyncClient()
        if person:
            client.cookies = self.client_of(person).cookies
        return client

    def test_it_tells_how_things_are_and_each_change(self):
        (unit,) = self.announce("stilt")
        client = self.listener(self.marit)

        heard: list[Marks] = []

        async def listen() -> None:
            path = f"/api/stream?batch={self.batch.slug}&tag={unit.tag}"
            answer = await client.get(path)
            self.assertEqual((answer.status_code, answer["Cache-Control"]), (200, "no-store"))
            self.assertEqual(answer["Content-Type"], "text/event-stream")
            async for said in answer:
                if said.startswith(b"data: "):
                    heard.append(Marks.model_validate(json.loads(said[6:])))

        async def until(told: int) -> None:
            while len(heard) < told:
                await asyncio.sleep(0.02)

        async def hear() -> None:
            page = asyncio.create_task(listen())
            await asyncio.wait_for(until(1), 20)
            unit.blocked = True
            await sync_to_async(unit.save)()
            await asyncio.wait_for(until(2), 20)
            self.assertEqual(len(stream.hub.listeners), 1)
            page.cancel()
            await asyncio.wait([page])
            self.assertEqual(stream.hub.listeners, [])

        asyncio.run(hear())
        before, after = heard
        self.assertNotEqual(before.unit, after.unit)
        self.assertEqual(before.stock, after.stock)

    def test_it_ends_by_itself_and_says_meanwhile_that_it_is_there(self):
        client = self.listener(self.marit)

        async def hear() -> list[bytes]:
            answer = await client.get("/api/stream")
            return [said async for said in answer]

        with (
            mock.patch.object(stream, "LIFE_SECONDS", 1.2),
            mock.patch.object(stream, "ALIVE_SECONDS", 0.2),
        ):
            said = asyncio.run(hear())
        self.assertEqual(said[0], stream.AGAIN.encode())
        self.assertIn(stream.ALIVE.encode(), said)
        self.assertEqual(sum(one.startswith(b"data: ") for one in said), 1)

    def test_who_is_not_signed_in_or_asks_nonsense_hears_nothing(self):
        for client, path, status in (
            (self.listener(), "/api/stream", 401),
            (self.listener(self.marit), "/api/stream?tag=" + "x" * 41, 422),
            (self.listener(self.marit), "/api/batches", 404),
        ):
            answer = asyncio.run(client.get(path))
            self.assertEqual(answer.status_code, status, path)
        with (
            override_settings(ALLOWED_HOSTS=["workshop.example"]),
            self.assertLogs("django.security.DisallowedHost", "ERROR"),
        ):
            strange = asyncio.run(self.listener(self.marit).get("/api/stream"))
        self.assertEqual(strange.status_code, 400)
        with mock.patch.object(stream, "MOST", 0), self.assertLogs("django.request", "ERROR"):
            full = asyncio.run(self.listener(self.marit).get("/api/stream"))
        self.assertEqual(full.status_code, 503)

    def test_who_was_signed_out_is_not_heard_again(self):
        person = self.client_of(self.ines)
        client = AsyncClient()
        client.cookies = person.cookies
        person.logout()
        self.assertEqual(asyncio.run(client.get("/api/stream")).status_code, 401)
