"""Writes docs/rights.md from the API: who may do what, and who sees which money.

python -m sortis_server.rights_page TARGET
"""

import sys
from pathlib import Path

import django

HEAD = """\
# Rights

This page is written by `./sortis rights` from the API itself; `./sortis check` refuses one that is
stale. A right stands at its operation and is looked at before the request is read
(`server/sortis_server/people/roles.py`); small teams give one person several roles. Whoever signed
in reads everything else, and changes what is their own: password, second number, who is here.

## Who does what

| {roles} |
|---{marks}|
"""
MONEY = """
## Who sees which money

The workshop may open all of it to everyone under Workshop; it is closed by default. Who does not
see a figure gets answers without it, and without the sentences that name an amount
(`core/sortis_core/rights.py`, `server/sortis_server/withheld.py`).

| figures | seen by |
|---|---|
"""


def page() -> str:
    """The whole document."""
    import sortis_server.api  # noqa: F401  # every operation says its right when it is made
    from sortis_core.rights import SEEN_BY
    from sortis_core.vocabulary.states import Role
    from sortis_server.people.roles import Allowed
    from sortis_server.workshop.money import Seeing

    held: dict[str, set[Role]] = {}
    for right in Allowed.all:
        if isinstance(right, Seeing):
            continue
        roles = set(right.roles)
        if held.setdefault(right.doing, roles) != roles:
            raise SystemExit(
                f"{right.doing} is for other roles at another operation. Name them apart."
            )
    told = HEAD.format(
        roles=" | ".join(["doing", *(role.label for role in Role)]), marks="|---" * len(Role)
    )
    for doing, roles in sorted(held.items()):
        marks = ["x" if role in roles else " " for role in Role]
        told += f"| {' | '.join([doing, *marks])} |\n"
    told += MONEY
    for money, seen_by in SEEN_BY.items():
        told += f"| {money.label} | {', '.join(role.label for role in seen_by)} |\n"
    return told


if __name__ == "__main__":
    django.setup()
    Path(sys.argv[1]).write_text(page())
