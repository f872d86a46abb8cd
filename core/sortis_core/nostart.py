"""A unit that does not start: a short search before anyone blames the pack.

Most units run from their adapter with a dead pack, so the search goes from what costs nothing to
what needs the cover off (docs/rules.md, Does not start). Every step names what to do and what was
meant by each answer; the result is entries for the strip.
"""

from sortis_core.base import Record, SortisError
from sortis_core.cautions import CAUTION_WORDS, Caution
from sortis_core.findings import Findings, PlaceState
from sortis_core.sheets import MachineForm, ModelSheet


class SearchRefused(SortisError):
    """The answers do not belong to the search of this unit."""

    title = "The search cannot go on"


class Answer(Record):
    """One answer that can be given, with its key."""

    key: str
    words: str


class SearchStep(Record):
    """One thing to try."""

    key: str
    title: str
    how: str
    answers: tuple[Answer, ...]
    cautions: tuple[str, ...] = ()
    opens: bool = False
    """True where the cover has to come off."""


class SearchResult(Record):
    """What the search found; ``entries`` go into the strip once a person takes them over."""

    words: str
    entries: dict[str, str]


class Tried(Record):
    """One step that was answered."""

    title: str
    answer: str


class Search(Record):
    """Where the search stands."""

    done: tuple[Tried, ...]
    step: SearchStep | None
    result: SearchResult | None


YES = Answer(key="y", words="it starts")
NO = Answer(key="n", words="still nothing")
SIGNS = Answer(key="s", words="dark screen, but a light, fan or sound")


def search_steps(sheet: ModelSheet, findings: Findings) -> tuple[SearchStep, ...]:
    """The steps for this model, in order; only those it has the parts for."""
    packs = sheet.packs_of(findings.trim)
    inside = tuple(CAUTION_WORDS[key] for key in (Caution.ISOLATE, Caution.STATIC, Caution.LITHIUM))
    adapter = sheet.adapter or "the adapter the label asks for"
    steps = [
        SearchStep(
            key="adapter",
            title="Another adapter",
            how=f"Use the workshop's own adapter ({adapter}) in another outlet; wait a minute, "
            "then press the power button once.",
            answers=(YES, SIGNS, NO),
            cautions=(CAUTION_WORDS[Caution.MAINS],),
        )
    ]
    if any(pack.external for pack in packs):
        steps.append(
            SearchStep(
                key="external",
                title="Without the external pack",
                how="Adapter out, external pack off, adapter in, press the power button.",
                answers=(YES, SIGNS, NO),
                cautions=(CAUTION_WORDS[Caution.LITHIUM],),
            )
        )
    steps.append(
        SearchStep(
            key="drain",
            title="Let it drain",
            how="Everything unplugged, hold the power button for 30 seconds, adapter in, press it "
            "once.",
            answers=(YES, SIGNS, NO),
        )
    )
    if sheet.form is MachineForm.LAPTOP:
        steps.append(
            SearchStep(
                key="screen",
                title="Another screen",
                how="Plug a screen in from outside; in the dark look for a faint picture on its "
                "own panel.",
                answers=(
                    Answer(key="y", words="the other screen shows a picture"),
                    Answer(key="n", words="both stay dark"),
                ),
            )
        )
    if any(not pack.external for pack in packs):
        steps.append(
            SearchStep(
                key="internal",
                title="Without the pack",
                how="Open it, unplug the pack, adapter in, press the power button.",
                answers=(YES, SIGNS, NO),
                cautions=inside,
                opens=True,
            )
        )
    if sheet.memory.slots:
        steps.append(
            SearchStep(
                key="memory",
                title="One module at a time",
                how="All modules out; where memory is soldered, try without. Then one known good "
                "module in each slot in turn.",
                answers=(
                    Answer(key="y", words="it starts with a good module"),
                    *(
                        Answer(
                            key=str(number), words=f"it starts, but not with {slot.label} filled"
                        )
                        for number, slot in enumerate(sheet.memory.slots, start=1)
                    ),
                    NO,
                ),
                cautions=inside[:2],
                opens=True,
            )
        )
    steps.append(
        SearchStep(
            key="coin",
            title="Coin cell out",
            how="Coin cell or its plug out for 30 seconds, in again (new where it measures under "
            "2.8 V), press the power button.",
            answers=(YES, NO),
            cautions=inside[:2],
            opens=True,
        )
    )
    return tuple(steps)


def search(sheet: ModelSheet, findings: Findings, answers: tuple[tuple[str, str], ...]) -> Search:
    """Go on from the answers so far.

    :param answers: (step key, answer key) in the order they were given.
    :raises SearchRefused: where an answer does not belong to the next step.
    """
    steps = list(search_steps(sheet, findings))
    done: list[Tried] = []
    for key, given in answers:
        step = next((one for one in steps if one.key == key), None)
        answer = next((one for one in step.answers if one.key == given), None) if step else None
        if step is None or answer is None:
            raise SearchRefused(
                f"“{given}” is no answer to the step {key}. Start the search again."
            )
        steps = steps[steps.index(step) + 1 :]
        if given == SIGNS.key:
            # It lives but shows nothing: the screen is asked about next.
            steps.sort(key=lambda one: one.key != "screen")
        done.append(Tried(title=step.title, answer=answer.words))
        if result := _result(sheet, findings, key, given):
            return Search(done=tuple(done), step=None, result=result)
    if steps:
        return Search(done=tuple(done), step=steps[0], result=None)
    board = SearchResult(
        words="Nothing brought it to life: the board is at fault. The pack is not the reason.",
        entries={"starts": "x"},
    )
    return Search(done=tuple(done), step=None, result=board)


def _result(sheet: ModelSheet, findings: Findings, step: str, answer: str) -> SearchResult | None:
    packs = sheet.packs_of(findings.trim)
    starts = {"starts": "+"} if any(t.key == "starts" for t in sheet.tests) else {}
    if step == "memory" and answer.isdecimal():
        slot = sheet.memory.slots[int(answer) - 1]
        faulty = findings.module(slot.key).state is PlaceState.PRESENT
        what = "the module there is" if faulty else "the slot may be"
        return SearchResult(
            words=f"It starts without {slot.label}: {what} faulty.",
            entries={**starts, slot.key: "x"},
        )
    if answer != "y":
        return None
    match step:
        case "adapter":
            return SearchResult(
                words="Its own adapter was at fault; the unit is not.", entries=dict(starts)
            )
        case "external" | "internal":
            outside = step == "external"
            places = [pack for pack in packs if pack.external == outside]
            return SearchResult(
                words=f"It starts without the {places[0].label.lower()}: that pack holds it back.",
                entries={**starts, **{pack.key: "x" for pack in places[:1]}},
            )
        case "screen":
            screen = {"screen": "x"} if any(t.key == "screen" for t in sheet.tests) else {}
            return SearchResult(
                words="It runs; the panel or its cable is at fault.", entries={**starts, **screen}
            )
        case "memory":
            return SearchResult(
                words="It starts with a good module: what was in it is faulty.",
                entries={
                    **starts,
                    **{
                        slot.key: "x"
                        for slot in sheet.memory.slots
                        if findings.module(slot.key).state is PlaceState.PRESENT
                    },
                },
            )
        case "coin":
            return SearchResult(
                words="The settings were stuck. Set the clock at the next start.",
                entries=dict(starts),
            )
    return SearchResult(words="It only had to drain; nothing is at fault.", entries=dict(starts))
