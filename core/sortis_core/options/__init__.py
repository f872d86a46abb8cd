"""All ways one unit could end, each with its actions, minutes and price, and why others cannot."""

from sortis_core.options.builder import OptionBuilder
from sortis_core.options.option import (
    Dominated,
    Option,
    OutcomeKind,
    PartCount,
    Rejection,
    UnitOptions,
)

__all__ = [
    "Dominated",
    "Option",
    "OptionBuilder",
    "OutcomeKind",
    "PartCount",
    "Rejection",
    "UnitOptions",
]
