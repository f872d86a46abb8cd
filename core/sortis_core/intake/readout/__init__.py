"""Read-outs: what a running unit says of itself, from the outputs of common system tools."""

from sortis_core.intake.readout.bundle import BundleRefused
from sortis_core.intake.readout.compare import Comparison, SideBySide, compare
from sortis_core.intake.readout.read import read_bundle
from sortis_core.intake.readout.seen import DriveSeen, MachineSeen, ModuleSeen, PackSeen, ReadOut

__all__ = [
    "BundleRefused",
    "Comparison",
    "DriveSeen",
    "MachineSeen",
    "ModuleSeen",
    "PackSeen",
    "ReadOut",
    "SideBySide",
    "compare",
    "read_bundle",
]
