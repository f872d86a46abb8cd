"""A backup that only whoever knows its words can read: OpenPGP, by the distribution's own program.

Any OpenPGP program opens it again with the same words; none of it is ours.
"""

import contextlib
import os
import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import IO

from house.place import StepFailed
from house.setup import program

LEAST = 12
"""Characters of the words: whoever has the file may try as long as they like."""
BEGINNINGS = (b"\x8c", b"\xc3")
"""Of what OpenPGP seals with words (RFC 9580, packet type 3, old and new form)."""
TOOL = "gpg"


def is_sealed(file: Path) -> bool:
    """Whether a file asks for words."""
    with file.open("rb") as data:
        return data.read(1) in BEGINNINGS


def require_words(words: str) -> None:
    """Refuse words that can be guessed by trying.

    :raises StepFailed: saying how long they must be.
    """
    if len(words) < LEAST:
        raise StepFailed(
            f"The words of a sealed backup are at least {LEAST} characters long. Nothing was "
            "written."
        )


@contextlib.contextmanager
def sealed(out: IO[bytes], words: str) -> Iterator[IO[bytes]]:
    """What is written to the inner file comes out sealed.

    :raises StepFailed: where the program is missing or refuses.
    """
    asked = ["--symmetric", "--cipher-algo", "AES256", "--s2k-digest-algo", "SHA512"]
    asked += ["--s2k-count", "65011712", "--compress-algo", "none"]
    with _running(asked, words, stdin=subprocess.PIPE, stdout=out) as process:
        assert process.stdin
        yield process.stdin
        process.stdin.close()
        if process.wait():
            raise StepFailed(f"The backup could not be sealed: {_said(process)}")


@contextlib.contextmanager
def opened(file: Path, words: str) -> Iterator[IO[bytes]]:
    """What was sealed, to be read once from the beginning to its end.

    :raises StepFailed: where the words are others, or the file was changed or cut off.
    """
    with (
        file.open("rb") as data,
        _running(["--decrypt"], words, stdin=data, stdout=subprocess.PIPE) as process,
    ):
        assert process.stdout
        failed: Exception | None = None
        try:
            yield process.stdout
        except Exception as error:
            # What does not read as a backup may be so for want of the right words.
            failed = error
        # Its last bytes say whether anything was changed.
        while process.stdout.read(1 << 20):
            pass
        if process.wait():
            raise StepFailed(
                f"{file} cannot be opened with these words, or was changed or cut off. "
                f"Nothing was changed. ({_said(process)})"
            ) from failed
        if failed:
            raise failed


def _said(process: subprocess.Popen[bytes]) -> str:
    assert process.stderr
    lines = process.stderr.read().decode(errors="replace").strip().splitlines()
    return lines[-1] if lines else "without saying why"


@contextlib.contextmanager
def _running(
    asked: list[str], words: str, *, stdin: int | IO[bytes], stdout: int | IO[bytes]
) -> Iterator[subprocess.Popen[bytes]]:
    tool = program(TOOL)
    if tool is None:
        raise StepFailed("gpg is missing. Install the Debian package gnupg.")
    # Of its own: neither keys nor settings of whoever runs it take part.
    home = tempfile.mkdtemp(prefix="sortis-seal-")
    reading, writing = os.pipe()
    try:
        with os.fdopen(writing, "wb") as given:
            given.write(words.encode() + b"\n")
        settled = ["--homedir", home, "--batch", "--quiet", "--no-tty", "--no-options"]
        settled += ["--pinentry-mode", "loopback", "--passphrase-fd", str(reading)]
        with subprocess.Popen(
            [tool, *settled, *asked],
            stdin=stdin,
            stdout=stdout,
            stderr=subprocess.PIPE,
            pass_fds=(reading,),
        ) as process:
            try:
                yield process
            finally:
                if process.poll() is None:
                    process.kill()
    finally:
        os.close(reading)
        # Its agent ends by itself once its folder is gone.
        shutil.rmtree(home, ignore_errors=True)
