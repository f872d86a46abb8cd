"""How far things are that the workshop keeps record of, and who does what in it."""

from sortis_core.vocabulary.term import Term


class Role(Term):
    """Who does what in the workshop (docs/rules.md, People)."""

    RECEIVER = "receiver", "receiver", "Counts units in, tags them, notes what came along."
    INSPECTOR = "inspector", "inspector", "Logs what every unit holds and lacks."
    PLANNER = "planner", "planner", "Decides the batch."
    TECHNICIAN = "technician", "technician", "Opens and fits."
    STOREKEEPER = "storekeeper", "storekeeper", "Parts in, out, harvested, bought."
    RELEASER = "releaser", "releaser", "Last check, label, listing."
    OWNER = (
        "owner",
        "owner",
        "Furnishes the workshop: standards, prices, kinds, schools, people; the last word on them.",
    )


class ImportState(Term):
    """How far a manifest is."""

    CHECKING = "checking"
    READY = "ready"
    TAKING = "taking", "being taken in"
    TAKEN = "taken", "taken in"
    STOPPED = "stopped"


class JobState(Term):
    """How far something is that a worker does."""

    WAITING = "waiting"
    AT_WORK = "at_work", "at work"
    DONE = "done"
    STOPPED = "stopped"
    FAILED = "failed", "refused"

    @property
    def ended(self) -> bool:
        """Nothing more becomes of it."""
        return self in (JobState.DONE, JobState.STOPPED, JobState.FAILED)


class PlanState(Term):
    """How far a plan is."""

    TRIED = "tried", "tried, not kept"
    SOLVING = "solving"
    SOLVED = "solved"
    REFUSED = "refused"
    APPROVED = "approved"


class OrderState(Term):
    """How far a work order is."""

    OPEN = "open"
    DONE = "done"
    STOPPED = "stopped"


class LogWhat(Term):
    """What happened to a work order at the bench."""

    DONE = "done", "step done"
    BACK = "back", "step taken back"
    TAKEN = "taken", "taken over"
    PAUSED = "paused", "rested"
    RESUMED = "resumed", "gone on with"
    SURPRISE = "surprise", "not as written"
    AGAIN = "again", "opened again"


class PurchaseState(Term):
    """How far a purchase is."""

    PLANNED = "planned", "to be ordered"
    ORDERED = "ordered"
    ARRIVED = "arrived"


class CodeKind(Term):
    """What a scanned code stands for."""

    UNIT = "unit"
    LOT = "lot"
    PLACE = "place", "place in the store"
    WORD = "word", "word of the bench line"
    PERSON = "person", "badge of somebody who works here"


class FetchState(Term):
    """Whether a part that an order fits can be fetched."""

    READY = "ready"
    CONFIRMED = "confirmed"
    TO_BE_TRIED = "to_be_tried", "to be tried first"
    FITTED = "fitted"
    IN_UNIT = "in_unit", "in another unit"
    TO_BE_ORDERED = "to_be_ordered", "to be ordered"
    ON_ORDER = "on_order", "on order"
    LOST = "lost", "gone"


class OrderBy(Term):
    """How purchases reach a supplier."""

    SUPPLIER = "supplier", "sent to the supplier"
    HAND = "hand", "ordered by hand"


class Settling(Term):
    """What is done about something that did not match at the count."""

    SWAP = "swap", "labels changed over"
    NEXT = "next", "moved to the other batch"
    TAKE = "take", "taken in"
    ASIDE = "aside", "set aside"
