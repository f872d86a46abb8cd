import contextlib
import io
import json
import tempfile
import unittest
from pathlib import Path

from jsonschema import Draft202012Validator

from demo.generator import make_case
from sortis_core.__main__ import main
from sortis_core.plan import Plan, make_plan
from sortis_core.sheets import ModelSheet
from sortis_core.strip import Mark, draw_strip
from tests.core.sample import FOLIO, STANDARDS, folio


def run(*arguments: str) -> tuple[int, str, str]:
    out, error = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(error):
        code = main(list(arguments))
    return code, out.getvalue(), error.getvalue()


class CommandLine(unittest.TestCase):
    def test_plans_a_saved_case_and_agrees_with_its_schema(self):
        case = make_case(2, 5)
        with tempfile.NamedTemporaryFile("w", suffix=".json") as file:
            file.write(case.model_dump_json())
            file.flush()
            code, out, _ = run("plan", file.name)
        self.assertEqual(code, 0)
        self.assertEqual(Plan.model_validate_json(out), make_plan(case))
        _, schema, _ = run("schema", "plan")
        Draft202012Validator(json.loads(schema)).validate(json.loads(out))

    def test_refuses_in_one_line(self):
        with tempfile.TemporaryDirectory() as folder:
            broken = Path(folder, "broken.json")
            broken.write_text('{"batch": 1}')
            for file, words in ((broken, "is not a case"), (Path(folder, "no.json"), "cannot be")):
                code, out, error = run("plan", str(file))
                self.assertEqual((code, out), (1, ""))
                self.assertIn(words, error)


class Sheets(unittest.TestCase):
    def changed(self, **parts):
        return ModelSheet.model_validate(FOLIO.model_dump() | parts)

    def test_a_sheet_that_contradicts_itself_is_refused(self):
        route = FOLIO.route.model_dump()
        circle = route | {"steps": [route["steps"][0] | {"after": ("nowhere",)}]}
        for parts, words in (
            ({"parts": (FOLIO.parts[0], FOLIO.parts[0])}, "stands for two places"),
            ({"drives": FOLIO.drives[1:]}, "goes with d1"),
            ({"route": circle}, "which the route does not have"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(ValueError, words):
                self.changed(**parts)


class Strips(unittest.TestCase):
    def marks(self, findings, actions=()):
        strip = draw_strip(FOLIO, findings, STANDARDS, actions=actions)
        return {cell.key: cell for cell in strip.cells}

    def test_shape_tells_state(self):
        cells = self.marks(folio(m1="-", d1="x", p1="!", heat_sink="-", camera="x"))
        self.assertEqual(
            {k: cells[k].mark for k in ("m0", "m1", "d1", "d2", "p1", "heat_sink", "camera")},
            {
                "m0": Mark.SOLDERED,
                "m1": Mark.EMPTY,
                "d1": Mark.FAULTY,
                "d2": Mark.EMPTY,
                "p1": Mark.HAZARD,
                "heat_sink": Mark.MISSING,
                "camera": Mark.FAULTY,
            },
        )

    def test_a_pack_is_filled_to_its_health_with_a_notch_at_every_gate(self):
        pack = self.marks(folio(p1="23/46 90c"))["p1"]
        self.assertAlmostEqual(pack.fill, 0.5)
        self.assertEqual([notch.at for notch in pack.notches], [0.65, 0.8, 0.85])
        self.assertEqual([notch.letters for notch in pack.notches], ["C", "D", "F"])
        self.assertEqual(pack.notches[1].words, "Desk ready: 80 %")

    def test_bay_kit_is_not_asked_for_while_the_bay_is_empty(self):
        cells = self.marks(folio(bay_cable="?"))
        self.assertEqual(cells["bay_cable"].mark, Mark.NOT_NEEDED)
