"""What is left of a donor for the recycler, by stream and weight."""

from collections.abc import Iterable

from sortis_core.findings import Findings, PlaceState
from sortis_core.sheets import ModelSheet, Stream, StreamWeight
from sortis_core.stock import PartKind


def remains_of(
    sheet: ModelSheet, findings: Findings, taken: Iterable[PartKind]
) -> tuple[StreamWeight, ...]:
    """Weights by stream once the parts are taken out; estimates from the sheet's complete unit.

    Streams that nothing is left in are left out: there are no packs where no pack was found.

    :param findings: of the unit before it was taken apart.
    """
    left = {weight.stream: weight.grams for weight in sheet.weights}
    for kind in taken:
        if kind.stream in left:
            left[kind.stream] -= kind.grams
    gone = (PlaceState.EMPTY, PlaceState.UNSEEN)
    if all(findings.pack(p.key).state in gone for p in sheet.packs_of(findings.trim)):
        left.pop(Stream.PACKS, None)
    if all(findings.drive(d.key).state in gone for d in sheet.drives_of(findings.trim)):
        left.pop(Stream.DRIVES, None)
    return tuple(
        StreamWeight(stream=stream, grams=grams) for stream, grams in left.items() if grams > 0
    )
