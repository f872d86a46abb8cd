"""What each step of the way in waits for, by the order in which the steps are done.

A step that is picked waits for the one before it, and the one after it for the step, where that
waited for no more than it: so a way comes out the same, whatever was picked first. Steps that
change places do the same. All else waits for what it waited for, also through one left out.
"""

from collections.abc import Collection, Mapping, Sequence

Waits = Mapping[str, tuple[str, ...]]
"""Step -> the steps that come before it."""


def still(after: tuple[str, ...], kept: Collection[str], waits: Waits) -> tuple[str, ...]:
    """What is still there of the steps waited for; of one left out, what that waited for."""
    found: dict[str, None] = {}
    seen: set[str] = set()
    ahead = list(after)
    while ahead:
        key = ahead.pop(0)
        if key in kept:
            found[key] = None
        elif key in waits and key not in seen:
            seen.add(key)
            ahead = [*waits[key], *ahead]
    return tuple(found)


def in_turn(order: Sequence[str], waits: Waits) -> dict[str, tuple[str, ...]]:
    """What each step waits for now.

    :param order: the steps as they are done now, each once.
    :param waits: of the steps that were there, in the order in which they stood.
    """
    stood = {key: at for at, key in enumerate(waits)}
    found: dict[str, tuple[str, ...]] = {}
    before: dict[str, set[str]] = {}
    """All that a step waits for, through others, too."""
    last = ""
    for at, key in enumerate(order):
        if key in waits:
            now = _of_before(key, order[:at], order, waits, stood, before)
            turned = bool(last) and (last not in stood or stood[last] > stood[key])
            if turned and set(now) <= before[last]:
                now = (last,)
        else:
            now = (last,) if last else ()
        found[key] = now
        before[key] = _reached(now, before)
        last = key
    return found


def _of_before(
    key: str,
    earlier: Sequence[str],
    order: Sequence[str],
    waits: Waits,
    stood: Mapping[str, int],
    before: Mapping[str, set[str]],
) -> tuple[str, ...]:
    """What a step that was there waits for, of the steps that it waited for and that come first."""
    now = [
        one
        for one in still(waits[key], order, waits)
        # One that stood later all along is no matter of this order.
        if one in earlier or stood[one] > stood[key]
    ]
    waited = _all_of(key, waits)
    covered = _reached(now, before)
    lost = [one for one in reversed(earlier) if one in waited and one not in covered]
    for one in lost:
        if one not in covered:
            now.append(one)
            covered |= {one} | before[one]
    if lost:
        now = [one for one in now if not any(one in before.get(other, ()) for other in now)]
    return tuple(now)


def _reached(after: Collection[str], before: Mapping[str, set[str]]) -> set[str]:
    return set(after).union(*(before.get(one, set()) for one in after))


def _all_of(key: str, waits: Waits) -> set[str]:
    found: set[str] = set()
    ahead = list(waits[key])
    while ahead:
        one = ahead.pop()
        if one not in found:
            found.add(one)
            ahead += waits.get(one, ())
    return found
