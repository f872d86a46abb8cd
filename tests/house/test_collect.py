"""The collecting script, run for real with tools that answer as the simulated probe does."""

import os
import subprocess
import tempfile
import unittest
from pathlib import Path

from house.place import HOME, PYTHON
from sortis_core.intake.readout import read_bundle
from standins.probe import Probe
from tests.core.sample import FOLIO, folio

TOOLS = {
    "dmidecode": "dmidecode.txt",
    "lshw": "lshw.json",
    "upower": "upower.txt",
    "lsblk": "lsblk.json",
}


class Collecting(unittest.TestCase):
    def collect(self, folder: Path, *, packer: str, tools=TOOLS) -> Path:
        files = Probe(FOLIO, folio(p1="37.5/46.62 210c"), "SN-1").files()
        programs = folder / "bin"
        programs.mkdir()
        for tool, name in tools.items():
            (folder / name).write_text(files[name])
            script = programs / tool
            script.write_text(f"#!/bin/sh\ncat {folder / name}\n")
            script.chmod(0o755)
        for name in ("sh", "mktemp", "id", "cat", "rm", "tr", "cut", "cp"):
            os.symlink(f"/usr/bin/{name}", programs / name)
        if packer == "python3":
            os.symlink(PYTHON, programs / "python3")
        elif packer:
            os.symlink(f"/usr/bin/{packer}", programs / packer)
        ran = subprocess.run(
            ["/bin/sh", str(HOME / "standins" / "collect.sh"), str(folder)],
            env={"PATH": str(programs)},
            capture_output=True,
            text=True,
            check=True,
        )
        return Path(ran.stdout.strip())

    def test_a_unit_collected_is_a_unit_read(self):
        for packer in ("python3", "perl"):
            with self.subTest(packer), tempfile.TemporaryDirectory() as folder:
                found = self.collect(Path(folder), packer=packer)
                got = read_bundle(found.read_bytes())
                self.assertEqual((got.total_gb, got.machine.product), (16, "Folio 15"))
                self.assertEqual(got.packs[0].cycles, 210)

    def test_tools_that_are_missing_are_left_out(self):
        with tempfile.TemporaryDirectory() as folder:
            some = {"upower": "upower.txt"}
            got = read_bundle(self.collect(Path(folder), packer="python3", tools=some).read_bytes())
            self.assertEqual(len(got.packs), 1)
            self.assertFalse(got.memory_read)

    def test_without_any_packer_the_files_are_left_in_a_folder(self):
        with tempfile.TemporaryDirectory() as folder:
            found = self.collect(Path(folder), packer="")
            self.assertTrue((found / "dmidecode.txt").exists())
