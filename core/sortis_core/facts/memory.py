"""Memory: total, channels, running speed, ceiling (docs/rules.md, Memory)."""

from sortis_core.base import Record, listed
from sortis_core.facts.question import Question
from sortis_core.findings import Findings, PlaceState
from sortis_core.policy import MemorySchool, Policy
from sortis_core.sheets import MemoryCeiling, ModelSheet


class MemoryFacts(Record):
    """The memory of one unit."""

    total_gb: int
    """What was seen; places not looked at count as nothing."""
    unseen: tuple[str, ...]
    runs_mts: int | None
    """Lowest of board, processor and slowest module, in MT/s; None where no module says it."""
    channels: str
    free_slots: tuple[str, ...]
    ceiling_gb: int
    ceiling_source: str
    sentence: str


def school_of(sheet: ModelSheet, policy: Policy) -> MemorySchool:
    """The school that holds for this model.

    A bench-proven ceiling counts only from ``policy.bench_proven_from_units`` units on record.
    """
    proven = sheet.memory.proven
    enough = proven is not None and proven.units_on_record >= policy.bench_proven_from_units
    return policy.memory_ceiling if enough else MemorySchool.STATED


def ceiling(sheet: ModelSheet, policy: Policy) -> MemoryCeiling:
    """The ceiling that counts under the policy's school."""
    return sheet.memory.ceiling(school_of(sheet, policy) is MemorySchool.BENCH_PROVEN)


def beyond_stated(sheet: ModelSheet, findings: Findings) -> str:
    """The risk of a unit with more memory than the maker states; empty where it has not more."""
    memory = sheet.memory
    total = sum(channel_amounts(sheet, findings).values())
    if total <= memory.stated.gb or not memory.slots:
        return ""
    units = memory.proven.units_on_record if memory.proven else 0
    seen = f"{units} units were seen running so" if units else "nobody has seen it run so"
    return (
        f"{total} GB are more than the {memory.stated.gb} GB that the maker states; {seen}. See "
        "the whole amount before it is closed."
    )


def memory_questions(sheet: ModelSheet, total_gb: int) -> list[Question]:
    """A total beyond every figure of the sheet: read the labels again, or it is a new proof."""
    memory = sheet.memory
    known = max(memory.stated.gb, memory.proven.gb if memory.proven else 0)
    if total_gb <= known or not memory.slots:
        return []
    return [
        Question(
            place=memory.slots[-1].key,
            sentence=f"{total_gb} GB is more than the sheet knows of ({known} GB). Does the "
            "machine itself show it? If so keep it: it then counts as seen running.",
        )
    ]


def channel_amounts(sheet: ModelSheet, findings: Findings) -> dict[str, int]:
    """GB of every filled place, by its key; the soldered block stands under its own."""
    amounts: dict[str, int] = {}
    if sheet.memory.soldered and findings.soldered_gb:
        amounts[sheet.memory.soldered.key] = findings.soldered_gb
    for slot in sheet.memory.slots:
        module = findings.module(slot.key)
        if module.state is PlaceState.PRESENT and module.gb:
            amounts[slot.key] = module.gb
    return amounts


def _by_channel(sheet: ModelSheet, amounts: dict[str, int]) -> dict[str, int]:
    found: dict[str, int] = {}
    for slot in sheet.memory.slots:
        if slot.key in amounts:
            found[slot.channel] = found.get(slot.channel, 0) + amounts[slot.key]
    if sheet.memory.soldered and amounts.get(sheet.memory.soldered.key):
        found["soldered"] = amounts[sheet.memory.soldered.key]
    return found


def even_channels(sheet: ModelSheet, findings: Findings, amounts: dict[str, int]) -> bool:
    """Whether all channels hold the same; a board with one channel is always even.

    A channel of which every slot is dead holds nothing whatever is fitted, so it is none.
    """
    has = {
        slot.channel
        for slot in sheet.memory.slots
        if findings.module(slot.key).state is not PlaceState.DEAD
    }
    if sheet.memory.soldered:
        has.add("soldered")
    found = _by_channel(sheet, amounts)
    return len(has) < 2 or (len(found) == len(has) and len(set(found.values())) == 1)


def channel_words(sheet: ModelSheet, amounts: dict[str, int]) -> str:
    """How the filled channels run.

    :param amounts: slot key (``m0`` for soldered) -> GB, filled places only.
    """
    soldered = sheet.memory.soldered
    if soldered and amounts.get(soldered.key) and not sheet.memory.slots:
        return "soldered, all channels"
    by_channel = _by_channel(sheet, amounts)
    if len(by_channel) < 2:
        return "one channel" if by_channel else "no memory"
    if len(set(by_channel.values())) == 1:
        return "two channels in full"
    return f"two channels for {2 * min(by_channel.values())} GB, the rest in one"


def memory_facts(sheet: ModelSheet, findings: Findings, policy: Policy) -> MemoryFacts:
    """Total, speed, channels and headroom of one unit."""
    amounts: dict[str, int] = {}
    unseen: list[str] = []
    free: list[str] = []
    speeds: list[int] = []
    soldered = sheet.memory.soldered
    if soldered:
        if findings.soldered_gb is None:
            unseen.append(soldered.key)
        else:
            amounts[soldered.key] = findings.soldered_gb
    for slot in sheet.memory.slots:
        module = findings.module(slot.key)
        if module.state is PlaceState.UNSEEN:
            unseen.append(slot.key)
        elif module.state is PlaceState.EMPTY:
            free.append(slot.key)
        elif module.state is PlaceState.PRESENT and module.gb:
            amounts[slot.key] = module.gb
            if module.mts:
                speeds.append(module.mts)
    total = sum(amounts.values())
    top = ceiling(sheet, policy)
    runs = min([sheet.memory.fastest_mts, *speeds]) if speeds else None
    channels = channel_words(sheet, amounts)
    # What nobody looked at is no empty slot.
    parts = [f"{total} GB" if amounts or not unseen else "Memory not looked at"]
    if runs:
        limit = " (board)" if speeds and runs < min(speeds) else ""
        parts.append(f"runs at {runs} MT/s{limit}")
    if amounts:
        parts.append(channels)
    sentence = ", ".join(parts) + "."
    if unseen and amounts:
        sentence += f" {listed([sheet.label_of(key) for key in unseen])} not looked at."
    if free:
        labels = listed([sheet.label_of(key) for key in free])
        sentence += f" {labels} {'is' if len(free) == 1 else 'are'} free."
    sentence += f" Ceiling {top.gb} GB ({top.source})."
    return MemoryFacts(
        total_gb=total,
        unseen=tuple(unseen),
        runs_mts=runs,
        channels=channels,
        free_slots=tuple(free),
        ceiling_gb=top.gb,
        ceiling_source=top.source,
        sentence=sentence,
    )
