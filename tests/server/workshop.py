"""A workshop in the database for tests: people, sheets, standards, stock, one batch."""

import json
from datetime import date, timedelta

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from demo.generator import demo_sheets, demo_standards, workshop_settings
from demo.load import load_stock
from sortis_core.vocabulary.states import Role
from sortis_server.arrive.manifests import take_in
from sortis_server.arrive.models import Batch, Unit
from sortis_server.arrive.seen import count_in
from sortis_server.arrive.services import make_batch
from sortis_server.people.models import Person
from sortis_server.sheets.services import add_sheet, sheet_version
from sortis_server.workshop.services import add_standard, set_up_workshop, standard_version

COMPLETE = {
    "ombrel-folio-15": {"m0": "8", "m1": "8", "d1": "n256", "d2": "-", "p1": "43/46 90c"},
    "quarrin-stilt-q2": {"m1": "8", "m2": "8", "d1": "s256", "d2": "-"},
    "tolva-lern-11": {"m0": "8", "d1": "s256 2280", "p1": "34/38 90c"},
}
MODELS = {
    "folio": ("Ombrel", "Folio 15"),
    "stilt": ("Quarrin", "Stilt Q2"),
    "lern": ("Tolva", "Lern 11"),
    "tarn": ("Kestrin", "Tarn 14"),
    "primer": ("Tolva", "Primer 14"),
    "cairn": ("Ombrel", "Cairn M1"),
}


class Workshop:
    """Mixed into test cases; ``furnish`` once per class, then use ``self.api``."""

    @classmethod
    def furnish(cls) -> None:
        sheet_version.cache_clear()
        standard_version.cache_clear()
        cls.marit = Person.objects.create_person(
            "marit", "Marit Dohl", [role.value for role in Role], "tide"
        )
        cls.ines = Person.objects.create_person("ines", "Ines Kolbe", ["inspector"], "tide")
        # Closed, as a workshop begins; the demo's is a cooperative.
        set_up_workshop(workshop_settings().model_copy(update={"money_open": False}))
        for sheet in demo_sheets():
            add_sheet(sheet)
        for standard in demo_standards():
            add_standard(standard)
        load_stock(cls.marit)
        cls.batch: Batch = make_batch(
            "Harbour office", "test", date.today(), date.today() + timedelta(30), 40_000, 600
        )

    def announce(self, *models: str) -> list[Unit]:
        """Units of these models, counted in."""
        number = Unit.objects.count()
        rows = [",".join([f"S{number + n}", *MODELS[model]]) for n, model in enumerate(models, 1)]
        manifest = "serial,maker,model\n" + "\n".join(rows)
        units = take_in(self.batch, manifest.encode())
        count_in(self.batch, [unit.tag for unit in units])
        return units

    def inspect(self, unit: Unit, /, **entries: str) -> dict:
        """Inspect a unit that is complete but for ``entries``; the API's answer."""
        sheet = sheet_version(unit.sheet_key, unit.sheet_version)
        usual = "flash" if unit.sheet_key == "ombrel-folio-15" else sheet.trims[0].key
        trim = entries.pop("trim", usual)
        good = {part.key: "+" for part in sheet.parts_of(trim)}
        good |= {test.key: "+" for test in sheet.tests_of(trim)}
        number = Unit.objects.get(pk=unit.pk).inspection_number
        typed = good | COMPLETE[unit.sheet_key] | {"grade": "b"} | entries
        return self.api(
            "post",
            f"units/{unit.tag}/inspection",
            {"started_from": number, "trim": trim, "entries": typed},
        )

    def open_money(self) -> None:
        """Everyone sees all money from now on."""
        view = self.api("get", "furnish/settings")
        body = {
            "document": view["settings"] | {"money_open": True},
            "started_from": view["version"],
        }
        self.api("put", "furnish/settings", body)

    def stage(self, unit: Unit) -> str:
        return Unit.objects.get(pk=unit.pk).stage

    def client_of(self, person: Person) -> Client:
        client = Client()
        client.force_login(person, backend="django.contrib.auth.backends.ModelBackend")
        return client

    def at_work(self, person: Person) -> Client:
        """The client that a person works with all through a test."""
        known: dict[int, Client] = self.__dict__.setdefault("_clients", {})
        if person.pk not in known:
            known[person.pk] = self.client_of(person)
        return known[person.pk]

    def setup_example(self) -> None:
        """Where an example is tried: who was signed in for the one before is so no more."""
        self.__dict__.pop("_clients", None)
        super().setup_example()

    def api(
        self,
        method: str,
        path: str,
        body: object = None,
        *,
        status: int = 200,
        person: Person | None = None,
    ):
        """Call the API as Marit, who has every role; the decoded answer."""
        client = self.at_work(person or self.marit)
        more = {} if body is None else {"data": json.dumps(body)}
        answer = getattr(client, method)(f"/api/{path}", content_type="application/json", **more)
        self.assertEqual(answer.status_code, status, answer.content[:600])
        return json.loads(answer.content) if "json" in answer["Content-Type"] else answer

    def upload(self, path: str, data: bytes, *, status: int = 200, name="list.csv", **fields):
        """Send a file as Marit; the decoded answer."""
        file = SimpleUploadedFile(name, data, "application/octet-stream")
        answer = self.at_work(self.marit).post(f"/api/{path}", {"file": file, **fields})
        self.assertEqual(answer.status_code, status, answer.content[:600])
        return json.loads(answer.content)

    def plan(self, **dials) -> dict:
        return self.api("post", f"batches/{self.batch.slug}/plan", dials)

    def whole(self, plan: dict) -> dict:
        """A kept plan with every outcome and allocation."""
        return self.api("get", f"batches/{self.batch.slug}/plan/{plan['number']}/plan.json")

    def release(self, unit: Unit) -> None:
        """Sign every gate that waits, then release."""
        gates = self.api("get", f"units/{unit.tag}/release")["gates"]
        for _ in range(12):
            waits = next((g for g in gates if g["signable"] and not g["met"]), None)
            if waits is None:
                break
            words = "overwritten once, read back" if waits["wants_words"] else ""
            body = {"gate": waits["gate"], "words": words}
            gates = self.api("post", f"units/{unit.tag}/release/sign", body)["gates"]
        self.api("post", f"units/{unit.tag}/release")
        unit.refresh_from_db()

    def approve(self, plan: dict, **more) -> dict:
        return self.api("post", f"batches/{self.batch.slug}/plan/{plan['number']}/approve", **more)
