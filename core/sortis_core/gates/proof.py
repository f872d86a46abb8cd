"""What a gate says at the last check: the evidence that it is met, or what is still asked."""

from sortis_core.base import Record


class Signature(Record):
    """Who saw what, and when (ISO 8601, UTC)."""

    by: str
    at: str
    words: str
    about: str = ""
    """What was signed for, as :attr:`ReleaseGate.about` named it then."""


class ReleaseGate(Record):
    """One gate at the last check."""

    gate: str
    sentence: str
    met: bool
    evidence: str
    """Who saw it, when; empty where nobody has yet."""
    record: str = ""
    """What was signed, without by whom; a buyer may read it."""
    asks: str
    """What is still to be done about it, in words; empty where nothing."""
    signable: bool = False
    """Open, and met by a person's signature; measured gates are met by findings alone."""
    about: str = ""
    """What a signature is about (which drives, say); one about something else does not count."""
    wants_words: bool = False
    """A signature needs words that say something: it is a record, not only a sight."""
    by_machine: bool = False
    """Its record is what read-outs show; nobody types it."""
    takes_reports: bool = False
    """Reports of a tool may be its record."""
    usual: tuple[str, ...] = ()
    """Words such a record often says, to choose among; none is chosen beforehand."""
    waivable: bool = False
    """Open, and whoever is answerable may let the unit leave without it."""
    waived: bool = False
    """Not met, and let go with the reason that stands in ``record``."""
    told: bool = False
    """Its buyer is told of the waiver."""


def signed(
    gate: str,
    sentence: str,
    asks: str,
    signature: Signature | None,
    *,
    about: str = "",
    usual: tuple[str, ...] = (),
) -> ReleaseGate:
    """A gate that a person signs; a signature about something else is none.

    :param usual: words to choose among, where a signature is a record.
    """
    stands = signature if signature and signature.about == about else None
    return ReleaseGate(
        gate=gate,
        sentence=sentence,
        met=stands is not None,
        evidence=f"{stands.words}, {stands.by}" if stands else "",
        record=stands.words if stands else "",
        asks="" if stands else asks,
        signable=stands is None,
        about=about,
        wants_words=bool(usual),
        usual=usual,
    )
