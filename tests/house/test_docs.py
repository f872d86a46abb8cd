"""The docs name what is there: files, tests, commands, pictures, addresses."""

import re
import shlex
import tempfile
import unittest
from itertools import product
from pathlib import Path

from demo.generator import make_case
from house.commands import command_line
from house.place import HOME
from sortis_core.gates import Gate
from sortis_core.plan import make_plan
from sortis_server.api import api
from sortis_server.live.urls import urlpatterns
from tests.core.test_commands import run
from tests.core.test_day import case as day_case
from tests.core.test_day import job

DOCS = [HOME / "README.md", *sorted((HOME / "docs").glob("*.md"))]
CORE = HOME / "core" / "sortis_core"
MADE = ("var/secrets.json",)
"""Files that the first start makes."""


def code_of(text: str) -> list[str]:
    """What stands in backticks and in fenced blocks, a line each."""
    blocks = re.findall(r"```\w*\n(.*?)```", text, re.S)
    rest = re.sub(r"```.*?```", "", text, flags=re.S)
    lines = [line for block in blocks for line in block.splitlines()]
    return [*lines, *re.findall(r"`([^`]+)`", rest)]


def commands_of(text: str) -> list[tuple[str, ...]]:
    """The words after ``./sortis`` wherever it stands, one entry for each of ``a|b``."""
    found: list[tuple[str, ...]] = []
    for code in code_of(text):
        for said in code.split("./sortis ")[1:]:
            words = shlex.split(said.split(" > ")[0], comments=True)
            choices = [word.split("|") for word in words]
            found += [tuple(chosen) for chosen in product(*choices)]
    return found


class Rules(unittest.TestCase):
    def setUp(self):
        text = (HOME / "docs" / "rules.md").read_text()
        self.rows = re.findall(r"^\| ([^|]+) \| `([\w/]+\.py)` \| `([\w/]+\.py)` \|$", text, re.M)

    def test_every_rule_has_its_one_home_and_a_test(self):
        self.assertGreater(len(self.rows), 40)
        for rule, home, test in self.rows:
            self.assertTrue((CORE / home).is_file(), f"{rule}: {home}")
            self.assertTrue((HOME / "tests" / "core" / test).is_file(), f"{rule}: {test}")
        homes = [home for _, home, _ in self.rows]
        self.assertEqual(len(set(homes)), len(homes), "two rules claim one home")

    def test_every_gate_is_a_rule_of_its_own(self):
        homes = {CORE / home for _, home, _ in self.rows}
        for gate in Gate.__args__[0].__args__:
            module = gate.__module__.removeprefix("sortis_core.").replace(".", "/")
            self.assertIn(CORE / f"{module}.py", homes)


class Named(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.commands = sorted({c for page in DOCS for c in commands_of(page.read_text())})

    def test_every_file_that_is_named_is_there(self):
        missing = []
        for page in DOCS:
            named = [code.split("#")[0].strip() for code in code_of(page.read_text())]
            for path in (
                code for code in named if re.fullmatch(r"[\w./-]+\.(py|tsx?|json|sh|md)", code)
            ):
                roots = [HOME, CORE, HOME / "server" / "sortis_server", HOME / "tests" / "core"]
                if (
                    "/" in path
                    and path not in MADE
                    and not any((root / path).exists() for root in roots)
                ):
                    missing.append(f"{page.name}: {path}")
        self.assertEqual(missing, [])

    def test_every_page_and_picture_that_is_linked_is_there(self):
        for page in DOCS:
            for link in re.findall(r"\]\(([^)#:]+)\)", page.read_text()):
                self.assertTrue((page.parent / link).is_file(), f"{page.name}: {link}")

    def test_every_command_is_one(self):
        known = command_line()
        for words in self.commands:
            if words != ("--help",):
                self.assertEqual(known.parse_args(words).command, words[0])

    def test_every_command_of_the_core_runs(self):
        """Those that start the application are run in ``test_start``."""
        with tempfile.TemporaryDirectory() as folder:
            case, plan, days = (Path(folder, f"{name}.json") for name in ("case", "plan", "days"))
            made = make_case(3, 8)
            case.write_text(made.model_dump_json())
            plan.write_text(make_plan(made).model_dump_json())
            days.write_text(day_case([job("T-1")]).model_dump_json())
            stands = {"case.json": case, "CASE.json": case, "plan.json": plan}
            stands["TAG"] = made.units[0].tag
            for name, *words in self.commands:
                if name != "core" or words == ["day"]:
                    continue
                given = [str(stands.get(word, word)) for word in words]
                if words[0] == "day":
                    given = ["day", str(days)]
                self.assertEqual(run(*given)[::2], (0, ""), words)

    def test_every_address_is_answered(self):
        known = {re.sub(r"{[^}]+}", "{}", path) for path in api.get_openapi_schema()["paths"]}
        known |= {f"/{one.pattern}" for one in urlpatterns}
        for page in DOCS:
            for code in code_of(page.read_text()):
                found = re.fullmatch(r"(?:GET |POST )?(/api/[\w/.{}-]+)", code)
                if found and found[1] != "/api/":
                    path = re.sub(r"\b[A-Z]{3,}\b|(?<=/)[A-Z]+(?=[/.]|$)", "{}", found[1])
                    self.assertIn(path, known, page.name)
