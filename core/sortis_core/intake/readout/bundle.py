"""Open a probe bundle: a zip with the outputs of the tools, whatever state it came in.

Limits hold before anything is unpacked, and again while it is: what a zip claims of itself is not
believed.
"""

import io
import json
import re
import zipfile
import zlib
from typing import Any

import jc

from sortis_core.base import SortisError
from sortis_core.intake.readout.soft import word

LARGEST_BYTES = 5_000_000
LARGEST_FILE_BYTES = 4_000_000
MOST_FILES = 60
TOOLS = ("dmidecode", "lshw", "smartctl", "upower", "lsblk", "sensors", "hwclock", "loadavg")


class BundleRefused(SortisError):
    """The file is no probe bundle."""

    title = "The read-out was not taken in"


class Bundle:
    """The texts of a bundle by tool, and what could not be read of it."""

    def __init__(self) -> None:
        self.texts: dict[str, list[tuple[str, str]]] = {tool: [] for tool in TOOLS}
        """Tool -> (file name, text); several files for smartctl, one a drive."""
        self.not_read: list[str] = []

    def first(self, tool: str) -> str:
        """The tool's output; empty where the bundle has none."""
        return self.texts[tool][0][1] if self.texts[tool] else ""


def open_bundle(data: bytes) -> Bundle:
    """Unpack a bundle as far as it goes.

    :raises BundleRefused: where it is no zip, far too large, locked, or holds no tool's output.
    """
    if not data:
        raise BundleRefused("The file is empty. Run the collecting script again and send its zip.")
    if len(data) > LARGEST_BYTES:
        raise BundleRefused(
            f"The file has {len(data) / 1e6:.0f} MB; a read-out has up to "
            f"{LARGEST_BYTES // 1_000_000} MB. Send the zip the collecting script wrote."
        )
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
        entries = [entry for entry in archive.infolist() if not entry.is_dir()]
    except (zipfile.BadZipFile, ValueError, OverflowError, NotImplementedError) as error:
        raise BundleRefused(
            "This is not a whole zip file. Run the collecting script again, or copy its zip anew."
        ) from error
    if len(entries) > MOST_FILES:
        raise BundleRefused(
            f"The zip holds {len(entries):,} files; a read-out has at most {MOST_FILES}. Send the "
            "zip the collecting script wrote."
        )
    bundle = Bundle()
    for entry in sorted(entries, key=lambda entry: entry.filename):
        name = re.split(r"[/\\]", entry.filename)[-1]
        tool = next((tool for tool in TOOLS if name.lower().startswith(tool)), "")
        if tool:
            _take(bundle, archive, entry, tool, _plain(name))
    if not any(bundle.texts.values()) and not bundle.not_read:
        raise BundleRefused(
            "The zip holds no output of dmidecode, lshw, smartctl, upower or lsblk. Send the zip "
            "the collecting script wrote."
        )
    return bundle


def _plain(name: str) -> str:
    return re.sub(r"[^\w.\-]", "_", name)[:60]


def _take(
    bundle: Bundle, archive: zipfile.ZipFile, entry: zipfile.ZipInfo, tool: str, name: str
) -> None:
    if entry.flag_bits & 1:
        bundle.not_read.append(f"{name} is locked with a password, so it was not read.")
        return
    if entry.file_size > LARGEST_FILE_BYTES:
        bundle.not_read.append(
            f"{name} claims {entry.file_size / 1e6:,.0f} MB; no tool writes that much. It was not "
            "read."
        )
        return
    try:
        with archive.open(entry) as file:
            data = file.read(LARGEST_FILE_BYTES + 1)
    except (zipfile.BadZipFile, zlib.error, EOFError, OSError, NotImplementedError, ValueError):
        bundle.not_read.append(f"{name} is damaged in the zip, so it was not read.")
        return
    if len(data) > LARGEST_FILE_BYTES:
        bundle.not_read.append(f"{name} unpacks to more than any tool writes. It was not read.")
        return
    text = decoded(data)
    if not text.strip():
        bundle.not_read.append(f"{name} is empty: {tool} wrote nothing.")
        return
    bundle.texts[tool].append((name, text))


def decoded(data: bytes) -> str:
    """Text of any of the encodings live systems write, with plain line ends."""
    encoding = "utf-16" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8-sig"
    try:
        text = data.decode(encoding)
    except UnicodeDecodeError:
        text = data.decode("latin-1")
    text = text.replace("\r\n", "\n").replace("\r", "\n")
    return "".join(char for char in text if char in "\n\t" or ord(char) >= 32)


def read_json(text: str) -> Any:
    """The first JSON value in a text; warnings may stand around it.

    :raises ValueError: where there is none, or it is cut off.
    """
    starts = [at for at in (text.find("{"), text.find("[")) if at >= 0]
    decoder = json.JSONDecoder()
    for at in sorted(starts):
        try:
            return decoder.raw_decode(text[at:])[0]
        except (ValueError, RecursionError):
            continue
    raise ValueError("no JSON, or cut off")


def parsed(tool: str, text: str, *, raw: bool = False) -> list[dict[str, Any]]:
    """A tool's text by its public parser.

    :raises ValueError: where the parser cannot read it; it stops with many kinds of error on text
        that was cut off.
    """
    try:
        rows = jc.parse(tool, text, quiet=True, raw=raw)
    except MemoryError:
        raise
    except Exception as error:
        raise ValueError(f"not the text of {tool}") from error
    return [row for row in rows if isinstance(row, dict)]


def number(text: Any) -> float | None:
    """The figure a text begins with, with either decimal sign: ``36,412 Wh`` is 36.412."""
    match = re.match(r"\s*(-?\d{1,12}(?:[.,]\d{1,12})?)(?!\d)", word(text))
    return float(match[1].replace(",", ".")) if match else None


PLACEHOLDERS = (
    "not specified",
    "to be filled",
    "default string",
    "system serial number",
    "system product name",
    "unknown",
    "none",
    "no asset tag",
    "0000",
    "n/a",
)


def said(value: Any) -> str:
    """A text the firmware really set; placeholders and blanks become empty."""
    text = re.sub(r"\s+", " ", word(value)).strip()
    low = text.lower()
    if not text.strip(".") or any(low == one or low.startswith(one + " ") for one in PLACEHOLDERS):
        return ""
    return text
