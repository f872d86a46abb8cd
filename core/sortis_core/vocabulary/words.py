"""All lists of words in one, as the API serves them and the interface reads them."""

from functools import cache

from sortis_core.actions import Verb
from sortis_core.base import Record
from sortis_core.cautions import Caution
from sortis_core.check import CheckState
from sortis_core.configuration import Aspect, KeyboardLanguage, KeyboardLight
from sortis_core.day.today import Doing, FirstStep
from sortis_core.findings import (
    Grade,
    HazardKind,
    OriginKind,
    PartState,
    PlaceState,
    SealState,
    TestState,
)
from sortis_core.forgetting import Forgotten
from sortis_core.gates.choices import FieldKind
from sortis_core.gates.closing import ClosingCheck
from sortis_core.gates.proven import Proving
from sortis_core.gates.verdict import GateState
from sortis_core.guide.usual import SocketKind
from sortis_core.intake.benchline import HeadWord, head_words
from sortis_core.intake.count import ComesAlong, CountVerdict
from sortis_core.intake.entry import EntryWord, UsualWords, entry_words, usual_words
from sortis_core.intake.manifest.headers import Field
from sortis_core.intake.manifest.verdicts import RowState
from sortis_core.intake.stocklist import StockField, StockRowState
from sortis_core.market import OrderVerdict
from sortis_core.merging import Whose
from sortis_core.options.option import OutcomeKind
from sortis_core.papers import PaperKind, PrintKind
from sortis_core.plan.case import Goal
from sortis_core.policy import SCHOOLS, SchoolQuestion, school_questions
from sortis_core.rights import Money
from sortis_core.route.graph import CableJoint, Depth, PryStart, Tool
from sortis_core.route.minutes import Skill
from sortis_core.route.work import StepKind
from sortis_core.selling import SaleState
from sortis_core.sheets import (
    Connector,
    FactSource,
    Generation,
    Interface,
    MachineForm,
    ModuleForm,
    Stream,
)
from sortis_core.stages import Stage
from sortis_core.stock import Condition, DriveEnd
from sortis_core.story import Chapter, StoryKind
from sortis_core.strip import Mark, StripGroup
from sortis_core.surprise import Advice, SurpriseKind
from sortis_core.takeback import StoreAct
from sortis_core.vocabulary.states import (
    CodeKind,
    FetchState,
    ImportState,
    JobState,
    LogWhat,
    OrderBy,
    OrderState,
    PlanState,
    PurchaseState,
    Role,
    Settling,
)
from sortis_core.vocabulary.term import Term
from sortis_core.workshop import Beginning, Furnishing, Weighing

LISTS: tuple[type[Term], ...] = (
    Advice,
    Aspect,
    Beginning,
    CableJoint,
    Caution,
    ClosingCheck,
    Forgotten,
    Proving,
    CodeKind,
    ComesAlong,
    Condition,
    Connector,
    CountVerdict,
    Depth,
    DriveEnd,
    Doing,
    FactSource,
    FetchState,
    Field,
    FieldKind,
    FirstStep,
    Furnishing,
    GateState,
    Generation,
    Goal,
    Grade,
    HazardKind,
    ImportState,
    Interface,
    JobState,
    KeyboardLanguage,
    KeyboardLight,
    LogWhat,
    MachineForm,
    Mark,
    ModuleForm,
    Money,
    OrderBy,
    OrderState,
    OriginKind,
    OutcomeKind,
    PaperKind,
    PartState,
    PlaceState,
    PlanState,
    PrintKind,
    PryStart,
    PurchaseState,
    Role,
    RowState,
    SaleState,
    SealState,
    Settling,
    Skill,
    SocketKind,
    Stage,
    StepKind,
    StoryKind,
    Chapter,
    Weighing,
    OrderVerdict,
    CheckState,
    Stream,
    StripGroup,
    StockField,
    StockRowState,
    StoreAct,
    SurpriseKind,
    TestState,
    Tool,
    Verb,
    Whose,
    *(schools for _, schools in SCHOOLS.values()),
)
"""Every closed list of words that leaves the core."""


class TermWords(Record):
    """One word of a list."""

    code: str
    label: str
    explained: str


class WordList(Record):
    """One closed list of words, in its order."""

    name: str
    words: tuple[TermWords, ...]


class Vocabulary(Record):
    """All words that people read, apart from the codes that are stored."""

    lists: tuple[WordList, ...]
    schools: tuple[SchoolQuestion, ...]
    entries: tuple[EntryWord, ...]
    """What is typed into places of the strip, and what it means."""
    usual: tuple[UsualWords, ...]
    """The same as keys on a touch screen."""
    heads: tuple[HeadWord, ...]
    """What segments of the bench line begin with."""


@cache
def vocabulary() -> Vocabulary:
    """Every list, question, entry word and head; the same as long as the application runs."""
    return Vocabulary(
        lists=tuple(
            WordList(
                name=terms.__name__,
                words=tuple(
                    TermWords(code=term.value, label=term.label, explained=term.explained)
                    for term in terms
                ),
            )
            for terms in LISTS
        ),
        schools=school_questions(),
        entries=entry_words(),
        usual=usual_words(),
        heads=head_words(),
    )
