"""The gates of resale standards, one file each, in one closed union.

To add one: its file beside these, its name in :data:`Gate`, its test.
"""

from typing import Annotated

from pydantic import Field

from sortis_core.gates.built_with import BuiltWithGate
from sortis_core.gates.closing import ClosingGate
from sortis_core.gates.fit_to_leave import FitToLeaveGate
from sortis_core.gates.keyboard_language import KeyboardLanguageGate
from sortis_core.gates.memory import MemoryGate
from sortis_core.gates.no_remarks import NoRemarksGate
from sortis_core.gates.pack import PackGate
from sortis_core.gates.parts import PartsGate
from sortis_core.gates.proven import ProvenGate
from sortis_core.gates.sanitised import SanitisedGate
from sortis_core.gates.solid_drive import SolidDriveGate
from sortis_core.gates.tests import TestsGate

Gate = Annotated[
    MemoryGate
    | SolidDriveGate
    | PackGate
    | PartsGate
    | TestsGate
    | KeyboardLanguageGate
    | BuiltWithGate
    | NoRemarksGate
    | FitToLeaveGate
    | SanitisedGate
    | ClosingGate
    | ProvenGate,
    Field(discriminator="type"),
]

__all__ = [
    "BuiltWithGate",
    "ClosingGate",
    "FitToLeaveGate",
    "Gate",
    "KeyboardLanguageGate",
    "MemoryGate",
    "NoRemarksGate",
    "PackGate",
    "PartsGate",
    "ProvenGate",
    "SanitisedGate",
    "SolidDriveGate",
    "TestsGate",
]
