"""A second database that follows the first, and takes its place when that one is gone.

Replication by the database's own means. The one that is written waits with each answer until the
other has what was written (semi-synchronous); where the other does not confirm in time it goes on
alone, which the engine does in silence, so it is watched here and said.
"""

import contextlib
import hashlib
import json
import os
import re
import secrets
import subprocess
import tempfile
import time
from pathlib import Path
from typing import Any, NamedTuple

from house.place import StepFailed, say
from house.processes import die_with_parent
from house.setup import program

FOLLOWER = "follower"
"""Whom a standby signs in as: may read the log of changes and say who is written; no table."""
ROLE = "pair.json"
"""In a data folder: what its database is to the other."""
STOOD = "stood.json"
"""In a data folder that came from a backup: where the log of changes was when it was taken."""
WRITTEN, STANDBY, GIVEN_UP = "written", "standby", "given up"
ROLES = (WRITTEN, STANDBY, GIVEN_UP)
WRITER = "sortis"
"""Whom applications sign in as."""
CLOSE_TRIES = 6
UNREACHED = re.compile(r"ERROR (2002|2003|2005|2006|2013) ")
"""The client's words where nobody answered, or the link broke."""
LOCKED = "ERROR 1205"
"""The client's word where others would not let go in time."""
STANDING = (
    "SELECT @@GLOBAL.read_only AS closed, @@GLOBAL.rpl_semi_sync_master_enabled AS waits, "
    "VARIABLE_VALUE AS confirmed FROM information_schema.GLOBAL_STATUS "
    "WHERE VARIABLE_NAME = 'RPL_SEMI_SYNC_MASTER_STATUS'"
)
LOOK_SECONDS = 1.0
STEADY_SECONDS = 5.0
"""A standby that did not confirm in time is counted on again after so long."""
BEHIND_SECONDS = 30
"""A standby that is further behind is told."""
CLOSE_SECONDS = 3
"""One that is at most so far behind takes a place while people work."""
DIVERGED = "1236"
"""The database's number where one holds what the other does not."""
REFUSED = "1045"
"""Its number where a password is not the one."""
CATCH_UP_SECONDS = 60
PATIENCE_SECONDS = 3
ASKED_SECONDS = 90
HOST = re.compile(r"[A-Za-z0-9.-]+|\[[0-9A-Fa-f:.]+\]")
PLACE = re.compile(r"\d+-\d+-\d+(,\d+-\d+-\d+)*")
"""In the log of changes, as both databases of a pair know it."""


class Address(NamedTuple):
    """Where a database answers other machines."""

    host: str
    port: int

    def __str__(self) -> str:
        return f"{self.host}:{self.port}"


class Wanted(NamedTuple):
    """What a database is to be for others."""

    listen: Address
    follow: Address | None = None
    wait_seconds: int = 10
    """How long an answer waits for the standby before writes go on alone."""


def address(told: str) -> Address:
    """Read HOST:PORT.

    :raises StepFailed: where it is none.
    """
    host, _, port = told.strip().rpartition(":")
    if not HOST.fullmatch(host) or not port.isdecimal() or not 0 < int(port) < 65_536:
        raise StepFailed(f"{told or 'Nothing'} is no address of a database. Write it HOST:PORT.")
    return Address(host.removeprefix("[").removesuffix("]"), int(port))


def follower_password(db_password: str) -> str:
    """Of the follower: both folders of a pair hold what it is made of."""
    return hashlib.sha256(f"follows {db_password}".encode()).hexdigest()[:40]


def number_of(folder: Path) -> int:
    """The number by which the databases of a pair tell each other apart; kept in the folder."""
    file = folder / "number"
    if not file.exists():
        file.write_text(str(2 + secrets.randbelow(2**31)))
    return int(file.read_text())


def role_of(folder: Path) -> dict[str, Any]:
    """What is written down of the role of a folder's database.

    :raises StepFailed: where what stands there cannot be read; nothing is guessed.
    """
    file = folder / ROLE
    if not file.exists():
        return {"role": WRITTEN, "others": []}
    try:
        told = json.loads(file.read_text())
        whole = told["role"] in ROLES and all(isinstance(one, str) for one in told["others"])
    except (ValueError, LookupError, TypeError):
        whole = False
    if not whole:
        raise StepFailed(f"{file} does not say whether this database is written or follows.")
    known: dict[str, Any] = told
    return known


def note_role(folder: Path, role: str, others: list[str]) -> None:
    """Write down what a folder's database is, whole or not at all."""
    number, name = tempfile.mkstemp(prefix=".pair-", dir=folder)
    with os.fdopen(number, "w") as out:
        json.dump({"role": role, "others": others}, out)
        out.flush()
        os.fsync(out.fileno())
    Path(name).rename(folder / ROLE)


class Silent(StepFailed):
    """A database does not answer; one that answers and refuses is not that."""


class Client:
    """The database's own client, with its password in a file of its owner."""

    def __init__(self, user: str, password: str, where: list[str]) -> None:
        self._file = tempfile.NamedTemporaryFile("w", suffix=".cnf")  # noqa: SIM115, lives with us
        self._file.write(f"[client]\nuser={user}\npassword={password}\n" + "\n".join(where) + "\n")
        self._file.flush()

    def asked(self, sql: str, seconds: int = ASKED_SECONDS) -> list[dict[str, str]]:
        """What a statement answers, each row by the names of its columns.

        :raises Silent: where it does not answer. :raises StepFailed: with what it says.
        """
        client = program("mariadb")
        if client is None:
            raise StepFailed("The program mariadb is missing. Install mariadb-client-core.")
        try:
            told = subprocess.run(
                [
                    client,
                    f"--defaults-file={self._file.name}",
                    "--batch",
                    f"--connect-timeout={PATIENCE_SECONDS}",
                    "-e",
                    sql,
                ],
                capture_output=True,
                text=True,
                errors="replace",
                stdin=subprocess.DEVNULL,
                timeout=seconds,
                check=False,
                preexec_fn=die_with_parent,
            )
        except subprocess.TimeoutExpired:
            raise Silent(f"The database did not answer within {seconds} s.") from None
        if told.returncode:
            last = (told.stderr.strip().splitlines() or ["no word"])[-1]
            kind = Silent if UNREACHED.match(last) else StepFailed
            raise kind(f"The database says: {last}")
        head, *rows = [line.split("\t") for line in told.stdout.splitlines()] or [[]]
        return [dict(zip(head, row, strict=True)) for row in rows]


def own(socket: Path, password: str) -> Client:
    """The database of a folder, as its owner."""
    return Client("root", password, [f"socket={socket}"])


def other(where: Address, password: str) -> Client:
    """A database elsewhere, as the follower."""
    there = [f"host={where.host}", f"port={where.port}", "protocol=tcp"]
    return Client(FOLLOWER, follower_password(password), there)


def is_written(client: Client) -> bool:
    """Whether a database is written.

    :raises StepFailed: where it does not answer.
    """
    return client.asked("SELECT @@GLOBAL.read_only AS it", PATIENCE_SECONDS)[0]["it"] == "0"


def require_role(folder: Path, password: str, wanted: Wanted | None) -> None:
    """Refuse to start a database in a role that would make two that are written.

    :raises StepFailed: with who is written, and how this one gets to follow it.
    """
    known = role_of(folder)
    if known["role"] == WRITTEN and (told := _successor(known["others"], password)):
        known = {"role": GIVEN_UP, "others": [told]}
        note_role(folder, GIVEN_UP, [told])
    if wanted and wanted.follow:
        _require_follower(folder, known, wanted.follow)
    elif known["role"] == GIVEN_UP:
        there = known["others"][0] if known["others"] else "HOST:PORT"
        raise StepFailed(
            f"The database at {there} took this one's place and is written now; what this one "
            "holds may differ from it. Make it a standby of that one: ./sortis backup there, "
            f"./sortis restore here, then ./sortis database --follow {there}. Nothing was changed."
        )
    elif known["role"] == STANDBY:
        there = known["others"][0]
        raise StepFailed(
            f"This database follows {there}. Start it by ./sortis database --follow {there}; is "
            "that one gone for good, ./sortis promote then. Nothing was changed."
        )


def _successor(others: list[str], password: str) -> str:
    """That one of the databases which followed this one that took its place; empty where none did.

    One whose place this one took is not among them: else each would give way to the other.
    """
    for told in others:
        with contextlib.suppress(StepFailed):
            if is_written(other(address(told), password)):
                return told
    return ""


def _require_follower(folder: Path, known: dict[str, Any], where: Address) -> None:
    if known["role"] == WRITTEN and (folder / ROLE).exists():
        raise StepFailed(
            "This database is the one that is written, and follows no other. Start it without "
            "--follow. Nothing was changed."
        )
    if known["role"] == WRITTEN and not (folder / STOOD).exists():
        raise _no_copy(where)


def require_copy(folder: Path, where: Address) -> None:
    """Refuse to follow with nothing, before anything is made.

    :raises StepFailed: with how a copy gets here.
    """
    if not (folder / "db").exists():
        raise _no_copy(where)


def _no_copy(where: Address) -> StepFailed:
    return StepFailed(
        f"There is no copy of the database at {where} here. Make a backup where that one runs "
        "(./sortis backup FILE) and restore it here (./sortis restore FILE), then follow. "
        "Nothing was changed."
    )


def follow(folder: Path, client: Client, password: str, wanted: Wanted) -> None:
    """Have the database of a folder follow another from where it stands.

    :raises StepFailed: where it cannot, with what to do.
    """
    assert wanted.follow
    begun = "STOP SLAVE;" if state_of(client) else f"SET GLOBAL gtid_slave_pos = {_stands(folder)};"
    client.asked(f"{begun}{_change(wanted.follow, password)};START SLAVE")
    (folder / STOOD).unlink(missing_ok=True)


def _change(where: Address, password: str) -> str:
    return (
        f"CHANGE MASTER TO MASTER_HOST='{where.host}', MASTER_PORT={where.port}, "
        f"MASTER_USER='{FOLLOWER}', MASTER_PASSWORD='{follower_password(password)}', "
        "MASTER_USE_GTID=slave_pos, MASTER_CONNECT_RETRY=1, MASTER_HEARTBEAT_PERIOD=2"
    )


def _stands(folder: Path) -> str:
    """From where a database follows: where the backup stood that it came from, or where it stands
    itself. One that holds what the other does not is then refused by the other."""
    file = folder / STOOD
    if not file.exists():
        return "@@GLOBAL.gtid_binlog_pos"
    try:
        stood = str(json.loads(file.read_text())[3])
    except (ValueError, LookupError, TypeError):
        stood = ""
    if not PLACE.fullmatch(stood):
        raise StepFailed(
            "The backup that this folder came from does not say from where its database can "
            "follow. Make a new one where the database is written, and restore that."
        )
    return f"'{stood}'"


def state_of(client: Client) -> dict[str, str]:
    """What a standby says of its following; empty where it follows nobody."""
    return (client.asked("SHOW SLAVE STATUS") or [{}])[0]


class Seen(NamedTuple):
    """What a database is to the other just now."""

    well: bool
    words: str


def seen(folder: Path, client: Client) -> Seen | None:
    """What a database is to the other, in a sentence; None where there is no other.

    :raises StepFailed: where it does not answer.
    """
    known = role_of(folder)
    if known["role"] == STANDBY:
        return _standby_seen(state_of(client))
    now = standing(client)
    if known["role"] == GIVEN_UP or not now.written:
        return Seen(False, "This database gave way to its standby and is only read.")
    if not known["others"]:
        return None
    if not now.standbys:
        return Seen(
            False,
            f"The standby {known['others'][0]} is not there: what is written is in this database "
            "only.",
        )
    if now.confirmed:
        return Seen(True, f"{now.standbys[0]} confirms what is written before it is answered.")
    return Seen(
        False,
        f"{now.standbys[0]} did not confirm in time: what is written may be in this database only.",
    )


class Standing(NamedTuple):
    """How a database that is not a standby stands to those that follow it."""

    written: bool
    waits: bool
    """Whether it is told to wait for one of them before it answers."""
    confirmed: bool
    """Whether it does; it goes on alone without a word where none confirms in time."""
    standbys: list[str]


def standing(client: Client) -> Standing:
    """Ask how it stands.

    :raises StepFailed: where it does not answer.
    """
    (told,) = client.asked(STANDING)
    there = [f"{one['Host']}:{one['Port']}" for one in client.asked("SHOW SLAVE HOSTS")]
    waits = told["waits"] == "1"
    return Standing(
        told["closed"] == "0", waits, waits and bool(there) and told["confirmed"] == "ON", there
    )


def _standby_seen(told: dict[str, str]) -> Seen:
    if not told:
        return Seen(False, "This standby follows nobody. Start it again with --follow.")
    there = f"{told['Master_Host']}:{told['Master_Port']}"
    if told["Last_SQL_Errno"] != "0" or told["Last_IO_Errno"] == DIVERGED:
        wrong = told["Last_SQL_Error"] or told["Last_IO_Error"]
        return Seen(
            False,
            f"This standby cannot go on: {wrong} Restore a new backup of {there} here, then "
            "follow again.",
        )
    if told["Last_IO_Errno"] == REFUSED:
        return Seen(
            False,
            f"{there} refuses this standby: their keys differ. Restore a backup of that one here, "
            "then follow again.",
        )
    if told["Slave_IO_Running"] != "Yes":
        return Seen(
            False,
            f"{there} does not answer; this standby asks again every second. Is it gone for good: "
            "./sortis promote",
        )
    behind = told["Seconds_Behind_Master"]
    if behind.isdecimal() and int(behind) > BEHIND_SECONDS:
        return Seen(False, f"This standby of {there} is {behind} s behind.")
    return Seen(True, f"This standby follows {there}.")


class Watch:
    """Tends what a database is to the other: counts on it where it may, and says each change."""

    def __init__(self, folder: Path, client: Client, password: str, wanted: Wanted) -> None:
        self._folder, self._client, self._wanted = folder, client, wanted
        self._password = password
        self._looked = -LOOK_SECONDS
        self._fell = -STEADY_SECONDS
        self._found = self._said = ""

    def tend(self) -> None:
        """Look, at most once a second."""
        now = time.monotonic()
        if now < self._looked + LOOK_SECONDS:
            return
        try:
            if role_of(self._folder)["role"] == WRITTEN:
                self._is_followed(now)
            found = seen(self._folder, self._client)
            words = found.words if found else ""
        except StepFailed as failure:
            words = str(failure)
        self._looked = time.monotonic()
        # What is so only while one takes the other's place is not said.
        if words and words == self._found and words != self._said:
            self._said = words
            # The terminal may be gone; the databases are tended all the same.
            with contextlib.suppress(OSError):
                say(f"  {time.strftime('%H:%M:%S')} {words}")
        self._found = words

    def end(self) -> None:
        """Before the database is ended: what waits for the standby is answered, so that it ends
        in order; the engine does not start again where it was ended while something waited."""
        with contextlib.suppress(StepFailed):
            if role_of(self._folder)["role"] == WRITTEN:
                self._switch(on=False)

    def _is_followed(self, now: float) -> None:
        others, stands = role_of(self._folder)["others"], standing(self._client)
        there = stands.standbys
        # Closed for a moment it may be opened again; it gave way once the other is written.
        if (not there or not stands.written) and (told := _successor(others, self._password)):
            # Also where it was out of reach meanwhile: never two that are written.
            self._client.asked("SET GLOBAL read_only = 1")
            note_role(self._folder, GIVEN_UP, [told])
        elif not stands.written:
            return
        elif stands.waits and not stands.confirmed:
            # The engine went on alone, without a word; it is not counted on before it is steady.
            self._fell = now
            self._switch(on=False)
        elif there:
            if there != others:
                note_role(self._folder, WRITTEN, there)
            if not stands.waits and now >= self._fell + STEADY_SECONDS:
                self._switch(on=True)

    def _switch(self, *, on: bool) -> None:
        self._client.asked(
            f"SET GLOBAL rpl_semi_sync_master_timeout = {1000 * self._wanted.wait_seconds};"
            f"SET GLOBAL rpl_semi_sync_master_enabled = {int(on)}"
        )


def promote(folder: Path, client: Client, password: str) -> str:
    """Make a standby the database that is written; what it was, in a sentence.

    Where the other still answers it gives way first, and nothing is lost; where it does not, all
    that it confirmed is here. The caller sees to it that one that is only out of reach is ended.

    :raises StepFailed: where it follows nobody, is not up to date, or the other answers and
        refuses; nothing was changed then.
    """
    told = state_of(client)
    if not told or role_of(folder)["role"] != STANDBY:
        raise StepFailed(
            "The database of this folder follows no other, so it takes nobody's place."
        )
    former = Address(told["Master_Host"], int(told["Master_Port"]))
    there = other(former, password)
    try:
        written = is_written(there)
    except Silent:
        _apply_all(client)
        said = (
            f"{former} does not answer. All that this one heard from it is here; make sure that it "
            "stays off until it follows."
        )
    else:
        _give_way(there, client, former, written=written)
        said = f"{former} gave way and is only read now."
    client.asked("STOP SLAVE; RESET SLAVE ALL; SET GLOBAL read_only = 0")
    note_role(folder, WRITTEN, [])
    return said


def _give_way(there: Client, client: Client, former: Address, *, written: bool) -> None:
    """Close the other and have all of it done here; where that fails it is opened again."""
    if written:
        behind = state_of(client)["Seconds_Behind_Master"]
        if not behind.isdecimal() or int(behind) > CLOSE_SECONDS:
            how = f"is {behind} s behind" if behind.isdecimal() else "does not hear of"
            raise StepFailed(
                f"This standby {how} {former}, which answers and so would have to wait for it. "
                "Promote it when it is up to date. Nothing was changed."
            )
        _close(there)
    try:
        last = there.asked("SELECT @@GLOBAL.gtid_binlog_pos AS it")[0]["it"]
        reached = client.asked(f"SELECT MASTER_GTID_WAIT('{last}', {CATCH_UP_SECONDS}) AS it")
        if reached[0]["it"] != "0":
            raise StepFailed(
                f"This standby is not up to date with {former} within {CATCH_UP_SECONDS} s. Look "
                "at what it says of itself. Nothing was changed."
            )
    except StepFailed:
        if written:
            there.asked("SET GLOBAL read_only = 0")
        raise


def _close(there: Client) -> None:
    """Have a database written no more. Where some of those who write wait for each other it would
    wait for them as well, so they are cut off: what was not answered is sent again."""
    for attempt in range(CLOSE_TRIES):
        cut = f"KILL USER {WRITER};" if attempt else ""
        try:
            there.asked(f"{cut}SET STATEMENT lock_wait_timeout = 1 FOR SET GLOBAL read_only = 1")
        except StepFailed as failure:
            if attempt == CLOSE_TRIES - 1 or LOCKED not in str(failure):
                raise
        else:
            return


def _apply_all(client: Client) -> None:
    """Do all that was heard: what is confirmed is written down here, and may not be done yet."""
    client.asked("STOP SLAVE IO_THREAD")
    done, moved = "", time.monotonic()
    while time.monotonic() < moved + CATCH_UP_SECONDS:
        told = state_of(client)
        heard = told["Master_Log_File"], told["Read_Master_Log_Pos"]
        if heard == (told["Relay_Master_Log_File"], told["Exec_Master_Log_Pos"]):
            return
        if told["Slave_SQL_Running"] != "Yes":
            break
        if told["Exec_Master_Log_Pos"] != done:
            done, moved = told["Exec_Master_Log_Pos"], time.monotonic()
        time.sleep(0.05)
    wrong = state_of(client)["Last_SQL_Error"] or f"it stands for {CATCH_UP_SECONDS} s"
    client.asked("START SLAVE IO_THREAD")
    raise StepFailed(f"What this standby heard could not be done on it: {wrong}")
