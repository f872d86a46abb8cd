"""Manifests: lists of the units a batch was bought with, in whatever columns they came."""

from sortis_core.intake.manifest.headers import Field
from sortis_core.intake.manifest.mapping import Mapping, suggest_mapping
from sortis_core.intake.manifest.table import ManifestRefused, Table, read_table
from sortis_core.intake.manifest.verdicts import (
    RowChecker,
    RowMend,
    RowState,
    RowVerdict,
    read_mend,
    refused_lines,
)

__all__ = [
    "Field",
    "ManifestRefused",
    "Mapping",
    "RowChecker",
    "RowMend",
    "RowState",
    "RowVerdict",
    "Table",
    "read_mend",
    "read_table",
    "refused_lines",
    "suggest_mapping",
]
