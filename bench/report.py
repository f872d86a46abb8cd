"""One line a target: ``name  value  target  met|missed``; status 1 when one is missed."""

import sys
import time
from collections.abc import Callable


class Report:
    """Collects targets and prints each as it is measured."""

    def __init__(self) -> None:
        self._missed = 0

    def at_least(self, name: str, value: float, target: float) -> None:
        """The value must reach the target."""
        self._line(name, f"{value:.2f}", f">={target:g}", value >= target)

    def at_most(self, name: str, value: float, target: float) -> None:
        """The value must stay under the target."""
        self._line(name, f"{value:.6g}", f"<={target:g}", value <= target)

    def shown(self, name: str, value: str) -> None:
        """A figure without a target."""
        print(f"{name}  {value}", flush=True)

    def _line(self, name: str, value: str, target: str, met: bool) -> None:
        self._missed += not met
        print(f"{name}  {value}  {target}  {'met' if met else 'missed'}", flush=True)

    def end(self) -> None:
        """Leave with status 1 where a target was missed."""
        sys.exit(1 if self._missed else 0)


def seconds(work: Callable[[], object], times: int = 3) -> float:
    """Shortest of several runs, in seconds; only ratios of two such figures are reported."""
    shortest = float("inf")
    for _ in range(times):
        began = time.perf_counter()
        work()
        shortest = min(shortest, time.perf_counter() - began)
    return shortest
