"""The licence of every package that ships, read from what the packages say of themselves.

Run with the environment's Python: ``python -m house.licences TARGET``.
"""

import json
import re
import sys
from importlib.metadata import metadata
from pathlib import Path

from house.place import HOME, WEB

REQUIREMENTS = HOME / "server" / "requirements.txt"
BUILT_IN = ("daisyui", "tailwindcss")
"""Tools of the build that leave styles of their own in what is built."""

PAGE = """# Licences of what ships

Written by `./sortis licences` from what the packages say of themselves; `./sortis check` fails when
it is stale. Sortis's own licence is its owner's to choose and is not chosen here.

**The database driver.** mysqlclient is GPL-2.0-or-later and is loaded into the same process as the
server. Running Sortis for oneself, also for others over the network, asks nothing. Whoever hands
Sortis on together with it must hand the whole on under terms that the GPL allows, with its source
and this licence. Handing Sortis on without it, so that the receiver installs the driver, leaves
that to the receiver. This is a reading and no legal advice.

## Python, in the server
| package | version | licence |
|---|---|---|
{python}

## JavaScript, styles and fonts, in the interface
| package | version | licence |
|---|---|---|
{web}

## Debian packages, beside it
Installed by the system's own package manager, each under its own licence and apart from Sortis: the
MariaDB server, its tool for backups and its client library (GPL-2.0, LGPL-2.1-or-later), nginx
(BSD-2-Clause). Chromium is used by tests alone.
"""


def _python_licence(package: str) -> str:
    """The expression a package states, else its licence field, else its classifiers."""
    said = metadata(package)
    stated = said.get("License-Expression")
    if stated:
        return stated
    classified = [
        line.split("::")[-1].strip()
        for line in said.get_all("Classifier") or []
        if line.startswith("License")
    ]
    lines = (said.get("License") or "").strip().splitlines()
    if len(lines) == 1 and len(lines[0]) < 60:
        return lines[0]
    if classified:
        return ", ".join(classified)
    if any(line.startswith("Permission is hereby granted, free of charge") for line in lines):
        return "MIT"
    raise SystemExit(
        f"{package} does not say its licence. Read it and say it in house/licences.py."
    )


def python_packages() -> list[tuple[str, str, str]]:
    """(name, version, licence) of every pinned package of the server."""
    pinned = re.findall(r"^([\w.-]+)==(\S+)", REQUIREMENTS.read_text(), re.M)
    return [(name, version, _python_licence(name)) for name, version in pinned]


def web_packages() -> list[tuple[str, str, str]]:
    """(name, version, licence) of every package whose code, styles or fonts are in the build."""
    lock = json.loads((WEB / "package-lock.json").read_text())["packages"]
    found: list[tuple[str, str, str]] = []
    for place, package in lock.items():
        name = place.rpartition("node_modules/")[2]
        if not name or (package.get("dev") and name not in BUILT_IN) or name.startswith("@types/"):
            continue
        if not package.get("license"):
            raise SystemExit(f"{name} does not say its licence. Read it and take another.")
        found.append((name, package["version"], package["license"]))
    return found


def page() -> str:
    """The whole document."""
    rows = [
        "\n".join(f"| {' | '.join(row)} |" for row in packages)
        for packages in (python_packages(), web_packages())
    ]
    return PAGE.format(python=rows[0], web=rows[1])


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(page())
