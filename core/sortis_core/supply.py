"""What parts there are to choose from while options are built."""

from sortis_core.findings import DriveFinding, ModuleFinding
from sortis_core.sheets import DrivePlace, ModelSheet
from sortis_core.stock import BracketFacts, DriveFacts, ModuleFacts, PackFacts, PartKind


class Supply:
    """The part kinds of a case by type, sorted by key, and which of them can be had.

    :param obtainable: kinds of which at least one is in stock, on offer or to be harvested.
    :param unnoted: kinds of which one may sit in a unit of which nobody noted what sits there.
    """

    def __init__(
        self,
        kinds: dict[str, PartKind],
        obtainable: frozenset[str],
        unnoted: frozenset[str] = frozenset(),
    ) -> None:
        self.kinds = kinds
        self.obtainable = obtainable
        self._unnoted = unnoted
        self.modules: list[tuple[str, ModuleFacts]] = []
        self.drives: list[tuple[str, DriveFacts]] = []
        self.packs: list[tuple[str, PackFacts]] = []
        self.brackets: list[tuple[str, BracketFacts]] = []
        self._instead: dict[str, list[str]] = {}
        for key in sorted(kinds):
            facts = kinds[key].facts
            for other in kinds[key].instead_of:
                self._instead.setdefault(other, []).append(key)
            if isinstance(facts, ModuleFacts):
                self.modules.append((key, facts))
            elif isinstance(facts, DriveFacts):
                self.drives.append((key, facts))
            elif isinstance(facts, PackFacts):
                self.packs.append((key, facts))
            elif isinstance(facts, BracketFacts):
                self.brackets.append((key, facts))

    def has(self, kind: str) -> bool:
        """Whether at least one of the kind can be had."""
        return kind in self.obtainable

    def serving(self, kind: str) -> tuple[str, ...]:
        """The kinds to be had that go where a sheet names this one, itself first."""
        return tuple(k for k in (kind, *self._instead.get(kind, ())) if self.has(k))

    def none_of(self, kind: str) -> str:
        """That the kind cannot be had: the end of a sentence."""
        said = f"no {self.label(kind)} is in stock or on offer"
        if kind in self._unnoted:
            said += "; another unit may give one, but nobody noted which sits in it"
        return said

    def knows(self, kind: str) -> bool:
        """Whether the store has such a kind at all."""
        return kind in self.kinds

    def label(self, kind: str) -> str:
        """What people call the kind."""
        return self.kinds[kind].label if kind in self.kinds else kind

    def module_kind(self, finding: ModuleFinding, sheet: ModelSheet) -> str:
        """Key of the kind that a found module is; empty where the store has none like it."""
        for key, facts in self.modules:
            if (
                facts.gb == finding.gb
                and facts.generation is sheet.memory.generation
                and facts.form is sheet.memory.form
                and (finding.mts is None or facts.mts == finding.mts)
                and facts.maker in ("", finding.maker)
            ):
                return key
        return ""

    def drive_kind(self, finding: DriveFinding, place: DrivePlace) -> str:
        """Key of the kind that a found drive is; empty where the store has none like it."""
        for key, facts in self.drives:
            if (
                facts.connector is place.connector
                and facts.interface is finding.interface
                and facts.gb == finding.gb
                and facts.spinning is finding.spinning
                and finding.length_mm in (None, facts.length_mm)
            ):
                return key
        return ""

    def bracket_for(self, drive: DriveFacts, place: DrivePlace) -> str:
        """Kind of a bracket that holds the drive at one of the place's standoffs, if there is one.

        Only the length may be what refuses the drive.
        """
        for key, bracket in self.brackets:
            if not self.has(key) or bracket.drive_mm != drive.length_mm:
                continue
            if bracket.standoff_mm in place.lengths_mm and not drive.model_copy(
                update={"length_mm": bracket.standoff_mm}
            ).refusal(place):
                return key
        return ""
