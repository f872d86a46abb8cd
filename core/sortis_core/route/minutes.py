"""Minutes of a work order: set-up, the merged route both ways, work at the parts, the check."""

from sortis_core.actions import Action
from sortis_core.route.graph import Depth
from sortis_core.route.order import steps_for
from sortis_core.sheets import ModelSheet
from sortis_core.standards import Policy

PART_OUTSIDE_MINUTES = 0.5
"""For a part without a route of its own: a tray pushed in, a foot pressed on."""


class RouteMinutes:
    """Minutes for sets of actions on one sheet; what was reckoned once is kept."""

    def __init__(self, sheet: ModelSheet, policy: Policy) -> None:
        self._sheet = sheet
        self._policy = policy
        self._kept: dict[tuple[str, frozenset[tuple[str, str, bool]], int, bool], float] = {}

    def of(self, trim: str, actions: tuple[Action, ...], *, donor: bool = False) -> float:
        """Minutes at the bench for all actions under one opening; a donor is not closed again."""
        installs = sum(action.installs_system for action in actions)
        key = (
            trim,
            frozenset((a.place, a.verb, bool(a.takes_out_label)) for a in actions),
            installs,
            donor,
        )
        if key not in self._kept:
            self._kept[key] = self._reckon(trim, actions, installs, donor)
        return self._kept[key]

    def _reckon(self, trim: str, actions: tuple[Action, ...], installs: int, donor: bool) -> float:
        if not actions:
            return 0.0
        route = self._sheet.route
        places = tuple(sorted({action.place for action in actions}))
        steps = steps_for(route, places, trim)
        keys = {step.key for step in steps}
        total = route.setup_minutes + sum(step.minutes_out for step in steps)
        opened = any(step.depth is not Depth.OUTSIDE for step in steps)
        if opened and self._sheet.form == "laptop":
            total += self._policy.cooling_minutes
        if not donor:
            total += route.check_minutes + sum(step.minutes_back for step in steps)
            total += sum(
                step.minutes_back
                for step in route.steps
                if step.back_only and set(step.after) <= keys
            )
        for action in actions:
            reach = route.reach(action.place)
            if reach is None:
                total += PART_OUTSIDE_MINUTES
                continue
            if action.takes_out_label:
                total += reach.minutes_out
            if action.verb == "fit":
                total += reach.minutes_in
        return round(total + installs * self._policy.install_minutes, 2)
