"""Manifests: lists of the units a batch was bought with, in whatever columns they came."""

from sortis_core.intake.manifest.mapping import Field, Mapping, suggest_mapping
from sortis_core.intake.manifest.table import ManifestRefused, Table, read_table
from sortis_core.intake.manifest.verdicts import (
    RowChecker,
    RowState,
    RowVerdict,
    refused_lines,
)

__all__ = [
    "Field",
    "ManifestRefused",
    "Mapping",
    "RowChecker",
    "RowState",
    "RowVerdict",
    "Table",
    "read_table",
    "refused_lines",
    "suggest_mapping",
]
