"""Cautions that stand in the step where they apply, always open (docs/safety.md)."""

from sortis_core.vocabulary.term import Term


class Caution(Term):
    """Which caution; the words are in :data:`CAUTION_WORDS`."""

    LITHIUM = "lithium"
    ISOLATE = "isolate"
    STATIC = "static"
    HOT = "hot"
    SHARP = "sharp"
    PICK = "pick"
    MAINS = "mains"
    ALCOHOL = "alcohol"
    PERSONAL_DATA = "personal_data"
    LEADS = "leads"


CAUTION_WORDS: dict[Caution, str] = {
    Caution.LITHIUM: (
        "Swollen, punctured, leaking, hot, smelling or hissing pack: stop. Do not charge, pry, "
        "press flat or ship it. Isolate it on a non-burning surface away from people, follow the "
        "local rules for damaged lithium cells and call whoever is licensed to take them."
    ),
    Caution.ISOLATE: (
        "Powered off, not asleep; adapter out, external pack out. If a light shows or the fan "
        "turns: stop, close nothing, switch it off first."
    ),
    Caution.STATIC: "Wrist strap or mat on; else touch bare metal of the case first and often.",
    Caution.HOT: "The heat sink may still be hot.",
    Caution.SHARP: "Stamped edges are sharp; keep fingers off the fan blades.",
    Caution.PICK: "Plastic pick, not metal, near the board and the pack. Never push it in deep.",
    Caution.MAINS: (
        "Power bricks and internal mains supplies are never opened here: licensed work only."
    ),
    Caution.ALCOHOL: (
        "Little alcohol, fresh air, no flame. Gloves for old paste and pads; bin them as local "
        "rules say."
    ),
    Caution.PERSONAL_DATA: (
        "This drive held somebody's data. It leaves only sanitised or destroyed, with a record."
    ),
    Caution.LEADS: "Do not trap the radio leads; lead 1 back to post 1, lead 2 to post 2.",
}

LIT_WORDS = (
    "It lights up or a fan turns while it is open: stop, touch nothing inside, close nothing. "
    "Adapter out, external pack out, switch it off by its own key; wait until nothing shows. Then "
    "unplug the pack. " + CAUTION_WORDS[Caution.ISOLATE]
)
HAZARD_WORDS = CAUTION_WORDS[Caution.LITHIUM]
