"""What answers over HTTP: the label printer, probe and eraser of the workshop, supplier, market.

The demo brings simulated ones along (``standins/``); a workshop sets the addresses of its own.
"""

import json
import os
import urllib.error
import urllib.request

from sortis_core.base import SortisError

PATIENCE_SECONDS = 8
LARGEST_ANSWER = 8_000_000
JSON = {"Content-Type": "application/json"}


class SupplierRefuses(SortisError):
    """The supplier does not take the order as it is."""

    title = "The supplier refuses"


class DeviceSilent(SortisError):
    """A device does not answer, or is not set up."""

    title = "The device did not answer"


def printer_address() -> str:
    """Where the label printer takes PDF; empty where none is set up."""
    return os.environ.get("SORTIS_PRINTER_URL", "")


def probe_address() -> str:
    """Where a bench probe gives bundles; empty where none is set up."""
    return os.environ.get("SORTIS_PROBE_URL", "")


def eraser_address() -> str:
    """Where the eraser of the bench gives its reports; empty where none is set up."""
    return os.environ.get("SORTIS_ERASER_URL", "")


def market_address() -> str:
    """Where a market takes listings and sends orders; empty where none is set up."""
    return os.environ.get("SORTIS_MARKET_URL", "")


def call_market(what: str, said: dict | None) -> bytes:
    """What the market answers to ``orders``, or to what is sent to ``listing`` or ``answers``.

    :raises DeviceSilent: where none is set up or it does not answer.
    """
    if not market_address():
        raise DeviceSilent(
            "No market is set up (SORTIS_MARKET_URL). Take the listing as CSV, XLSX or JSON."
        )
    data = None if said is None else json.dumps(said).encode()
    return _send(f"{market_address()}/{what}", data, JSON, "The market")


def supplier_address() -> str:
    """Where the parts supplier quotes and takes orders; empty where none is set up."""
    return os.environ.get("SORTIS_SUPPLIER_URL", "")


def call_supplier(what: str, order: dict | None) -> bytes:
    """The supplier's answer to ``quotes``, or to an order sent to ``orders``.

    :raises DeviceSilent: where none is set up or it does not answer.
    :raises SupplierRefuses: with its own words, where it takes the order not.
    """
    if not supplier_address():
        raise DeviceSilent(
            "No supplier is set up (SORTIS_SUPPLIER_URL). Take the buying list as CSV or XLSX, "
            "order by hand and note it here."
        )
    data = None if order is None else json.dumps(order).encode()
    request = urllib.request.Request(f"{supplier_address()}/{what}", data=data, headers=JSON)
    try:
        with urllib.request.urlopen(request, timeout=PATIENCE_SECONDS) as answer:
            return answer.read(LARGEST_ANSWER)
    except urllib.error.HTTPError as refusal:
        raise SupplierRefuses(
            f"{_said(refusal)} Nothing was ordered. Fetch the quotes, then plan again."
        ) from refusal
    except (OSError, ValueError) as error:
        raise DeviceSilent(
            "The supplier does not answer. Nothing was changed; try again, or order by hand."
        ) from error


def _said(refusal: urllib.error.HTTPError) -> str:
    try:
        return str(json.loads(refusal.read(LARGEST_ANSWER))["detail"])[:300]
    except (ValueError, KeyError, TypeError, OSError):
        return f"The supplier answered {refusal.code}."


def _send(address: str, data: bytes | None, headers: dict[str, str], what: str) -> bytes:
    """What a device answers; asked only, where nothing is sent."""
    request = urllib.request.Request(address, data=data, headers=headers)
    try:
        with urllib.request.urlopen(request, timeout=PATIENCE_SECONDS) as answer:
            return answer.read(LARGEST_ANSWER)
    except (OSError, urllib.error.URLError, ValueError) as error:
        raise DeviceSilent(
            f"{what} does not answer. Nothing was lost; see that it is on and try again."
        ) from error


def print_labels(pdf: bytes, size: str, title: str) -> None:
    """Send labels to the printer.

    :raises DeviceSilent: where none is set up or it does not answer.
    """
    if not printer_address():
        raise DeviceSilent(
            "No label printer is set up (SORTIS_PRINTER_URL). Open the labels as PDF and print "
            "them from there."
        )
    headers = {"Content-Type": "application/pdf", "X-Label-Size": size, "X-Title": title}
    _send(f"{printer_address()}/print", pdf, headers, "The label printer")


def probe_bundle(question: dict) -> bytes:
    """A bundle from the bench probe.

    :raises DeviceSilent: where none is set up or it does not answer.
    """
    if not probe_address():
        raise DeviceSilent(
            "No bench probe is set up (SORTIS_PROBE_URL). Run the collecting script on the unit "
            "and drop its zip here."
        )
    return _send(f"{probe_address()}/bundle", json.dumps(question).encode(), JSON, "The probe")


def eraser_report(serial: str) -> str:
    """What the eraser reports of the drive with this serial number.

    :raises DeviceSilent: where none is set up or it does not answer.
    """
    if not eraser_address():
        raise DeviceSilent(
            "No eraser is set up (SORTIS_ERASER_URL). Paste its report, or drop the file here."
        )
    asked = json.dumps({"serial": serial}).encode()
    answer = _send(f"{eraser_address()}/report", asked, JSON, "The eraser")
    return answer.decode(errors="replace")
