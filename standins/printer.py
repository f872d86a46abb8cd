"""A simulated label printer: takes PDF over HTTP, keeps it, shows what it printed.

``python -m standins.printer PORT FOLDER``. ``POST /print`` takes a PDF, ``GET /`` shows every
label as a picture, ``GET /jobs`` says the same as JSON.
"""

import html
import io
import json
import re
import sys
import threading
from datetime import UTC, datetime
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import pypdfium2

LARGEST_BYTES = 20_000_000
DOTS = 2.0
"""Dots a point: about the resolution of a thermal printer."""
SHOWN = 12


class Printer:
    """Jobs that were printed, newest last."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.folder.mkdir(parents=True, exist_ok=True)
        self.jobs: list[dict] = []
        self._drawing = threading.Lock()
        """The PDF library draws one page at a time."""

    def take(self, pdf: bytes, title: str, size: str) -> dict:
        """Print a PDF: it is kept as a file and counted.

        :raises ValueError: where it is no PDF.
        """
        with self._drawing:
            try:
                document = pypdfium2.PdfDocument(pdf)
            except pypdfium2.PdfiumError as error:
                raise ValueError("This is no PDF.") from error
            pages = len(document)
            words = [" ".join(page.get_textpage().get_text_range().split()) for page in document]
        number = len(self.jobs) + 1
        (self.folder / f"job-{number}.pdf").write_bytes(pdf)
        job = {
            "number": number,
            "title": title,
            "size": size,
            "pages": pages,
            "words": words,
            "at": datetime.now(UTC).isoformat(timespec="seconds"),
        }
        self.jobs.append(job)
        return job

    def picture(self, number: int, page: int) -> bytes:
        """One page as PNG.

        :raises IndexError: where it was not printed.
        """
        if not 1 <= number <= len(self.jobs) or not 1 <= page <= self.jobs[number - 1]["pages"]:
            raise IndexError(f"Job {number} page {page} was not printed.")
        with self._drawing:
            document = pypdfium2.PdfDocument(self.folder / f"job-{number}.pdf")
            out = io.BytesIO()
            document[page - 1].render(scale=DOTS).to_pil().save(out, "PNG")
            return out.getvalue()

    def page(self) -> str:
        """Everything that was printed, newest first."""
        rows = []
        for job in reversed(self.jobs[-SHOWN:]):
            pictures = "".join(
                f'<img alt="{html.escape(words)}" src="/jobs/{job["number"]}/{page}.png">'
                for page, words in enumerate(job["words"][:SHOWN], start=1)
            )
            more = f" … {job['pages'] - SHOWN} more" if job["pages"] > SHOWN else ""
            rows.append(
                f"<section><h2>{html.escape(job['title'])}</h2><p>{job['at']} · "
                f"{html.escape(job['size'])} · {job['pages']} pages{more}</p>{pictures}</section>"
            )
        shown = "".join(rows) or "<p>Nothing was printed yet. Print labels under Arrive.</p>"
        return (
            "<!doctype html><html lang=en><meta charset=utf-8><title>Label printer</title>"
            "<style>body{font:16px/1.4 sans-serif;margin:2rem;background:#ddd8cc;color:#1c2b33}"
            "img{background:#fff;margin:0 .6rem .6rem 0;max-width:24rem;border:1px solid #999}"
            f"</style><h1>Label printer (simulated)</h1>{shown}</html>"
        )


def server(port: int, folder: Path) -> ThreadingHTTPServer:
    """The printer on loopback, ready to serve."""
    printer = Printer(folder)

    class Handler(BaseHTTPRequestHandler):
        def _answer(self, status: int, kind: str, data: bytes) -> None:
            self.send_response(status)
            self.send_header("Content-Type", kind)
            self.send_header("Content-Length", str(len(data)))
            self.end_headers()
            self.wfile.write(data)

        def do_POST(self) -> None:
            length = int(self.headers.get("Content-Length") or 0)
            if self.path != "/print" or not 0 < length <= LARGEST_BYTES:
                self._answer(400, "text/plain", b"Send a PDF of up to 20 MB to /print.")
                return
            try:
                job = printer.take(
                    self.rfile.read(length),
                    self.headers.get("X-Title", "labels"),
                    self.headers.get("X-Label-Size", ""),
                )
            except ValueError as refusal:
                self._answer(422, "text/plain", str(refusal).encode())
                return
            self._answer(200, "application/json", json.dumps(job).encode())

        def do_GET(self) -> None:
            picture = re.fullmatch(r"/jobs/(\d+)/(\d+)\.png", self.path)
            if picture:
                try:
                    png = printer.picture(int(picture[1]), int(picture[2]))
                except IndexError as gone:
                    self._answer(404, "text/plain", str(gone).encode())
                    return
                self._answer(200, "image/png", png)
            elif self.path == "/jobs":
                self._answer(200, "application/json", json.dumps(printer.jobs).encode())
            else:
                self._answer(200, "text/html; charset=utf-8", printer.page().encode())

        def log_message(self, format: str, *args: object) -> None:
            pass

    return ThreadingHTTPServer(("127.0.0.1", port), Handler)


if __name__ == "__main__":
    server(int(sys.argv[1]), Path(sys.argv[2])).serve_forever()
