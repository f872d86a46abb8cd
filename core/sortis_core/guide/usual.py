"""What most machines have: sockets, tests and steps to pick from while a sheet is written.

The words are those of practice (docs/rules.md, Writing a sheet); minutes are guesses until somebody
does the step.
"""

from typing import Any, NamedTuple

from sortis_core.cautions import Caution
from sortis_core.route.graph import CableJoint, Depth, Pry, PryStart, Reach, RouteStep, Tool
from sortis_core.sheets import (
    Connector,
    DrivePlace,
    FactSource,
    FunctionTest,
    Interface,
    MachineForm,
)
from sortis_core.vocabulary.term import Term


class SocketKind(Term):
    """What a drive goes into, as people ask for it."""

    BAY = "bay25", "2.5-inch bay"
    NVME = "m2_nvme", "M.2 NVMe"
    SATA = "m2_sata", "M.2 SATA"
    EITHER = "m2_either", "M.2 either"
    MSATA = "msata", "mSATA"
    EMMC = "emmc_soldered", "eMMC, soldered"


class Shape(NamedTuple):
    """What a kind of socket is to the rules."""

    connector: Connector
    interfaces: tuple[Interface, ...]
    lengths_mm: tuple[int, ...] = ()
    height_mm: float | None = None
    limit_gb: int = 1000


SOCKETS: dict[SocketKind, Shape] = {
    SocketKind.BAY: Shape(Connector.BAY, (Interface.SATA,), height_mm=7, limit_gb=2000),
    SocketKind.NVME: Shape(Connector.M2, (Interface.NVME,), (2280,)),
    SocketKind.SATA: Shape(Connector.M2, (Interface.SATA,), (2280,)),
    SocketKind.EITHER: Shape(Connector.M2, (Interface.NVME, Interface.SATA), (2280,)),
    SocketKind.MSATA: Shape(Connector.MSATA, (Interface.SATA,), limit_gb=500),
    SocketKind.EMMC: Shape(Connector.EMMC, (Interface.EMMC,), limit_gb=128),
}


LENGTHS_MM = (2230, 2242, 2260, 2280)
"""Standoffs that M.2 sockets come with."""


def socket_kind(place: DrivePlace) -> SocketKind:
    """The kind that a drive place is nearest to."""
    speaks = set(place.interfaces)
    for kind, shape in SOCKETS.items():
        if shape.connector is place.connector and set(shape.interfaces) == speaks:
            return kind
    return next(kind for kind, shape in SOCKETS.items() if shape.connector is place.connector)


def socket(kind: SocketKind, key: str, label: str) -> DrivePlace:
    """A place of a kind as most models have it."""
    shape = SOCKETS[kind]
    return DrivePlace(
        key=key,
        label=label,
        connector=shape.connector,
        interfaces=shape.interfaces,
        lengths_mm=shape.lengths_mm,
        height_mm=shape.height_mm,
        limit_gb=shape.limit_gb,
        source=FactSource.GUESS,
    )


TESTS: tuple[tuple[FunctionTest, tuple[MachineForm, ...]], ...] = tuple(
    (FunctionTest(key=key, label=label), forms)
    for key, label, forms in (
        ("starts", "Starts", tuple(MachineForm)),
        ("screen", "Screen", (MachineForm.LAPTOP,)),
        ("display_out", "Display output", (MachineForm.MINI_PC,)),
        ("keyboard", "Keyboard", (MachineForm.LAPTOP,)),
        ("pointer", "Pointing device", (MachineForm.LAPTOP,)),
        ("camera", "Camera", (MachineForm.LAPTOP,)),
        ("speakers", "Speakers", tuple(MachineForm)),
        ("radio", "Radio", tuple(MachineForm)),
        ("network", "Wired network", tuple(MachineForm)),
        ("ports", "Ports", tuple(MachineForm)),
        ("reader", "Card or fingerprint reader", (MachineForm.LAPTOP,)),
        ("fan", "Fan", tuple(MachineForm)),
        ("clock", "Clock kept", tuple(MachineForm)),
    )
)
"""Function tests, and which forms have them."""

LAPTOP, BOTH = (MachineForm.LAPTOP,), tuple(MachineForm)


class UsualStep(NamedTuple):
    """A step to pick, and where it belongs."""

    step: RouteStep
    forms: tuple[MachineForm, ...]
    screws: bool = False
    """It has screws, and only the machine tells how many."""


def _step(
    key: str, depth: Depth, title: str, how: str, back: str, back_how: str, **more: Any
) -> RouteStep:
    return RouteStep(
        key=key, depth=depth, title=title, how=how, back_title=back, back_how=back_how, **more
    )


STEPS: tuple[UsualStep, ...] = (
    UsualStep(
        _step(
            "power_off", Depth.OUTSIDE, "Power off, adapter out",
            "Shut down, not asleep. Pull the adapter and everything plugged in.", "", "",
            minutes_out=0.5, cautions=(Caution.ISOLATE, Caution.STATIC, Caution.MAINS),
        ),
        BOTH,
    ),
    UsualStep(
        _step(
            "firmware_off", Depth.OUTSIDE, "Switch the pack off in firmware",
            "Start it once more on the pack alone and choose the entry that switches the pack off; "
            "it goes dark. The adapter stays out: it would wake the pack.",
            "Adapter in, it wakes the pack", "At the very end.",
            minutes_out=0.7, minutes_back=0.2, cautions=(Caution.ISOLATE,), firmware=True,
        ),
        LAPTOP,
    ),
    UsualStep(
        _step(
            "external_pack", Depth.OUTSIDE, "Take the external pack out",
            "Open its latches and slide it out.", "External pack in", "Until both latches click.",
            minutes_out=0.2, minutes_back=0.2, cautions=(Caution.LITHIUM,), isolates=True,
        ),
        LAPTOP,
    ),
    UsualStep(
        _step(
            "tray_out", Depth.OUTSIDE, "Take tray or card blank out",
            "Pin in, draw it straight.", "Tray or card blank in", "Until it is flush.",
            minutes_out=0.2, minutes_back=0.2, tool=Tool.TRAY_PIN,
            breaks=("It shears off when the cover comes up.",),
        ),
        LAPTOP,
    ),
    UsualStep(
        _step(
            "hidden_screws", Depth.OUTSIDE, "Find the hidden screws",
            "Under a foot, a grip pad or a cap; lift its edge with the pick and keep it clean.",
            "Hidden screws and pads on", "Press the pad down again.",
            minutes_out=0.5, minutes_back=0.5, tool=Tool.PH1,
        ),
        BOTH,
        screws=True,
    ),
    UsualStep(
        _step(
            "cover_screws", Depth.COVER, "Undo the cover screws",
            "Note which are longer; captive ones only loosen.", "Cover screws in",
            "Start all of them loosely, then tighten alternating corner to corner.",
            minutes_out=0.8, minutes_back=0.9, tool=Tool.PH1,
        ),
        BOTH,
        screws=True,
    ),
    UsualStep(
        _step(
            "keyboard_out", Depth.COVER, "Lift the keyboard",
            "Undo its marked screws, slide it, lift it, latch up, cables off.", "Keyboard in",
            "Cables in, latches down, slide it home.",
            minutes_out=0.8, minutes_back=0.8, tool=Tool.PICK, connector=CableJoint.LATCH,
            cautions=(Caution.PICK,),
        ),
        LAPTOP,
    ),
    UsualStep(
        _step(
            "cover_off", Depth.COVER, "Lift the cover",
            "Begin at a hinge corner and work one way; when it is stuck go on from the other side.",
            "Press the cover on",
            "Round the edge until every clip has clicked, then look for gaps.",
            minutes_out=0.8, minutes_back=0.4, tool=Tool.PICK,
            cautions=(Caution.PICK, Caution.LITHIUM),
            pries=(Pry(start=PryStart.HINGE, how="From the hinge side, one way round."),),
        ),
        LAPTOP,
    ),
    UsualStep(
        _step(
            "panel_off", Depth.COVER, "Take the side panel off",
            "Slide it back, lift it.", "Side panel on", "Slide it home until it is flush.",
            minutes_out=0.3, minutes_back=0.3, cautions=(Caution.SHARP,), isolates=True,
        ),
        (MachineForm.MINI_PC,),
    ),
    UsualStep(
        _step(
            "pack_unplug", Depth.ISOLATE, "Unplug the pack",
            "Draw the plug by its body, never by the wires.", "Plug the pack in",
            "Before the cover closes.",
            minutes_out=0.3, minutes_back=0.3, tool=Tool.PICK, connector=CableJoint.PLUG,
            cautions=(Caution.ISOLATE, Caution.LITHIUM), isolates=True,
        ),
        LAPTOP,
    ),
    UsualStep(
        _step(
            "cage_out", Depth.SHIELD, "Take the drive cage out",
            "Its screws, then its cable; slide and lift.", "Drive cage in",
            "Cable first, then screws.",
            minutes_out=0.8, minutes_back=0.8, tool=Tool.PH1,
        ),
        BOTH,
        screws=True,
    ),
    UsualStep(
        _step(
            "shield_off", Depth.SHIELD, "Lift shield or plate",
            "Unclip it or undo its screw; mind the pad below.", "Shield or plate on",
            "Pad in its place.", minutes_out=0.3, minutes_back=0.3, tool=Tool.PH0,
        ),
        BOTH,
        screws=True,
    ),
    UsualStep(
        _step(
            "fan_up", Depth.SHIELD, "Fan out of the way",
            "Plug off by its body, then lift or swing it up.", "Fan back",
            "Plug in, nothing trapped.",
            minutes_out=0.4, minutes_back=0.4, tool=Tool.PH0, connector=CableJoint.PLUG,
        ),
        BOTH,
        screws=True,
    ),
    UsualStep(
        _step(
            "cooler_off", Depth.SHIELD, "Lift the cooler",
            "In number order, a turn each; then twist it free.", "Cooler on",
            "In number order, corner to corner.",
            minutes_out=1.5, minutes_back=2.0, tool=Tool.PH0, cautions=(Caution.HOT,),
        ),
        BOTH,
        screws=True,
    ),
    UsualStep(
        _step(
            "board_out", Depth.PART, "Lift the board",
            "Every cable off and photographed; leads 1 and 2 noted; lift it from the free side.",
            "Board in", "No lead below it; every cable in.",
            minutes_out=3.0, minutes_back=4.0, tool=Tool.PH0, cautions=(Caution.LEADS,),
        ),
        BOTH,
        screws=True,
    ),
)  # fmt: skip
"""In the order in which they are done."""


def reach_of(place: str, what: str, after: tuple[str, ...]) -> Reach:
    """How a place is usually worked on, by what sort of place it is.

    :param what: ``memory``, ``drive``, ``pack``, ``part`` or ``test``.
    """
    match what:
        case "memory":
            return Reach(
                place=place,
                after=after,
                take_out="Spread the clips; it rises. Draw it out.",
                put_in="In at about 30 degrees, aligned to its notch, until both sides click.",
                minutes_out=0.3,
                minutes_in=0.4,
            )
        case "drive":
            return Reach(
                place=place,
                after=after,
                take_out="Hold it, undo what holds it, draw it out.",
                put_in="Push it home and hold it down while its screw goes in.",
                minutes_out=0.5,
                minutes_in=0.7,
                cautions=(Caution.PERSONAL_DATA,),
            )
        case "pack":
            return Reach(
                place=place,
                after=after,
                take_out="Lift it level, never by its wires.",
                put_in="Level; leads not trapped.",
                minutes_out=0.8,
                minutes_in=0.9,
                cautions=(Caution.LITHIUM,),
            )
        case _:
            return Reach(
                place=place, after=after, put_in="Put it in.", minutes_out=0.5, minutes_in=0.5
            )
