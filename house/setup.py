"""Set up whatever is missing: Debian packages, Python environment, web packages, the build."""

import hashlib
import os
import shutil
import subprocess
import sys
from pathlib import Path

from house.place import HOME, PYTHON, VENV, WEB, StepFailed, paths, run_step, say

STAMPS = HOME / "var" / "stamps"
"""Beside what they describe, also when the data lies elsewhere."""
SERVER_NEEDS = HOME / "server" / "requirements.txt"
TEST_NEEDS = HOME / "tests" / "requirements.txt"
PROGRAMS = {
    "mariadbd": "mariadb-server-core",
    "mariadb-backup": "mariadb-backup",
    "gpg": "gnupg",
    "my_print_defaults": "mariadb-client-core",
    "mariadb-binlog": "mariadb-client",
    "mariadb_config": "libmariadb-dev",
    "pkg-config": "pkg-config",
    "gcc": "gcc",
    "nginx": "nginx",
}
TEST_PROGRAMS = {"chromium": "chromium"}
HEADERS = "python3-dev"
SEARCH = os.pathsep.join([os.environ.get("PATH", ""), "/usr/sbin", "/sbin", "/usr/local/sbin"])


def program(name: str) -> str | None:
    """Where a program is, also outside an ordinary user's path."""
    return shutil.which(name, path=SEARCH)


def missing_packages(programs: dict[str, str]) -> list[str]:
    """Debian packages that are not there."""
    missing = [package for name, package in programs.items() if program(name) is None]
    include = Path(__import__("sysconfig").get_paths()["include"])
    if not (include / "Python.h").exists():
        missing.append(HEADERS)
    try:
        __import__("ensurepip")
    except ImportError:
        missing.append("python3-venv")
    return missing


def debian_packages(*, testing: bool) -> None:
    """Install the Debian packages that are missing; as an ordinary user with sudo, saying which.

    Only the server's programs are installed, not its system service.
    """
    missing = missing_packages(PROGRAMS | (TEST_PROGRAMS if testing else {}))
    if not missing:
        return
    names = " ".join(missing)
    say(f"  Missing Debian packages: {names}")
    lead: list[str] = []
    if os.geteuid() != 0:
        if shutil.which("sudo") is None:
            raise StepFailed(
                f"These packages are missing and there is no sudo to install them: {names}. Have "
                "them installed, then run this command again."
            )
        say("  Installing them needs sudo; it may ask for your password.")
        lead = ["sudo", "DEBIAN_FRONTEND=noninteractive"]
        if subprocess.run(["sudo", "-v"], check=False).returncode:
            raise StepFailed(f"Without sudo, have these packages installed first: {names}.")
    env = paths() | {"DEBIAN_FRONTEND": "noninteractive"}
    run_step("Reading Debian's package lists", [*lead, "apt-get", "update"], env=env)
    install = ["apt-get", "install", "-y", "--no-install-recommends", *missing]
    run_step("Installing Debian packages", [*lead, *install], env=env)
    if "nginx" in missing and Path("/run/systemd/system").exists():
        # The front is one of our own; the system's, which comes along switched on, is not used.
        off = [*lead, "systemctl", "disable", "--now", "nginx"]
        run_step("Switching the system's nginx off again", off, env=env)


def _fingerprint(files: list[Path]) -> str:
    found = hashlib.sha256(sys.version.encode())
    for file in sorted(files):
        found.update(str(file.relative_to(HOME)).encode() + b"\0" + file.read_bytes())
    return found.hexdigest()


def _fresh(name: str, fingerprint: str) -> bool:
    stamp = STAMPS / name
    return stamp.exists() and stamp.read_text() == fingerprint


def _stamp(name: str, fingerprint: str) -> None:
    STAMPS.mkdir(parents=True, exist_ok=True)
    (STAMPS / name).write_text(fingerprint)


def python_packages(*, testing: bool) -> None:
    """Make the Python environment and install the pinned packages."""
    tests = _fingerprint([SERVER_NEEDS, TEST_NEEDS])
    if PYTHON.exists() and _fresh("python-tests", tests):
        return
    needs = TEST_NEEDS if testing else SERVER_NEEDS
    wanted = tests if testing else _fingerprint([SERVER_NEEDS])
    if not PYTHON.exists():
        run_step("Making the Python environment", [sys.executable, "-m", "venv", VENV])
    elif _fresh("python", wanted):
        return
    run_step("Installing Python packages", [PYTHON, "-m", "pip", "install", "-q", "-r", needs])
    _stamp("python-tests" if testing else "python", wanted)


def web_packages() -> None:
    """Install the pinned web packages."""
    wanted = _fingerprint([WEB / "package.json", WEB / "package-lock.json"])
    if (WEB / "node_modules").exists() and _fresh("npm", wanted):
        return
    run_step("Installing web packages", [VENV / "bin" / "npm", "ci"], cwd=WEB)
    _stamp("npm", wanted)


def build() -> None:
    """Build the interface where its sources changed."""
    folders = (WEB / "src", WEB / "public")
    sources = [file for folder in folders for file in folder.rglob("*") if file.is_file()]
    sources += [WEB / name for name in ("index.html", "package-lock.json", "vite.config.ts")]
    wanted = _fingerprint(sources)
    if (WEB / "dist" / "index.html").exists() and _fresh("build", wanted):
        return
    web_packages()
    run_step("Building the interface", [VENV / "bin" / "npm", "run", "build"], cwd=WEB)
    _stamp("build", wanted)


def set_up(*, testing: bool, building: bool = True) -> None:
    """Everything in order; what is there already costs nothing."""
    debian_packages(testing=testing)
    python_packages(testing=testing)
    if testing:
        web_packages()
    if building:
        build()
