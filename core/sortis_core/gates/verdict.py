"""What one gate says about one unit."""

from dataclasses import dataclass

from sortis_core.vocabulary.term import Term


class GateState(Term):
    """Met, short, not yet known, or seen only at the last check."""

    MET = "met"
    SHORT = "short"
    UNKNOWN = "unknown"
    AT_RELEASE = "at_release", "seen at the last check"


@dataclass(frozen=True, slots=True, kw_only=True)
class GateVerdict:
    """One gate of one standard held against what was found."""

    gate: str
    """Name of the gate within its standard."""
    state: GateState
    sentence: str
    places: tuple[str, ...] = ()
    """Places, parts or tests that make it short or unknown."""
    unseen: tuple[str, ...] = ()
    """Those of them that nobody looked at, or not closely enough: what is done hangs on them."""
