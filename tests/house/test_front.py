"""The front: half requests hold nobody up, what is too large is told, whoever asked is known."""

import contextlib
import json
import shutil
import socket
import subprocess
import tempfile
import threading
import time
import unittest
import urllib.error
import urllib.request
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

from house.database import free_port
from house.front import front_command
from house.processes import die_with_parent, end

PATIENCE = 1
"""Seconds that the front of these tests waits for the rest of a request."""


heard = threading.Event()
"""That the first of what is told slowly has passed."""


class Application(BaseHTTPRequestHandler):
    """Answers with who asked; one call at a time, as a small server would."""

    protocol_version = "HTTP/1.1"

    def do_GET(self) -> None:
        if self.path.startswith("/api/stream"):
            self._tell_slowly()
        else:
            self._answer(0)

    def _tell_slowly(self) -> None:
        self.send_response(200)
        self.send_header("Content-Type", "text/event-stream")
        self.send_header("Connection", "close")
        self.end_headers()
        self.wfile.write(b"data: first\n\n")
        heard.wait(10)
        self.wfile.write(b"data: second\n\n")

    def do_POST(self) -> None:
        self._answer(len(self.rfile.read(int(self.headers["Content-Length"]))))

    def _answer(self, read: int) -> None:
        told = {"for": self.headers.get("X-Forwarded-For"), "read": read}
        data = json.dumps(told).encode()
        self.send_response(200)
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        self.wfile.write(data)

    def log_message(self, *args: object) -> None:
        pass


class Front(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.app = ThreadingHTTPServer(("127.0.0.1", 0), Application)
        threading.Thread(target=cls.app.serve_forever, daemon=True).start()
        cls.addClassCleanup(cls.app.shutdown)
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.port = free_port()
        command = front_command(
            Path(folder.name, "front"),
            cls.port,
            cls.app.server_address[1],
            cls.app.server_address[1],
            head=PATIENCE,
            body=PATIENCE,
        )
        nginx = subprocess.Popen(list(map(str, command)), preexec_fn=die_with_parent)
        cls.addClassCleanup(end, nginx)
        for _ in range(100):
            try:
                cls.get()
                return
            except OSError:
                time.sleep(0.05)
        raise AssertionError("the front did not start")

    @classmethod
    def get(cls, **headers: str) -> dict:
        asked = urllib.request.Request(f"http://127.0.0.1:{cls.port}/", headers=headers)
        with urllib.request.urlopen(asked, timeout=3) as answer:
            return json.load(answer)

    def half(self, begun: bytes) -> socket.socket:
        opened = socket.create_connection(("127.0.0.1", self.port), timeout=5)
        self.addCleanup(opened.close)
        opened.sendall(begun)
        return opened

    def test_half_requests_hold_nobody_up_and_are_ended(self):
        head = b"GET / HTTP/1.1\r\nHost: a\r\nX-Half: "
        body = b"POST / HTTP/1.1\r\nHost: a\r\nContent-Length: 90000\r\n\r\n" + b"x" * 20_000
        halves = [self.half(begun) for begun in (head, body) for _ in range(60)]
        for _ in range(20):
            self.assertEqual(self.get()["read"], 0)
        for one in halves:
            self.assertIn(one.recv(4096)[:12], (b"", b"HTTP/1.1 408"))

    def test_a_stream_passes_as_it_comes(self):
        address = f"http://127.0.0.1:{self.port}/api/stream?batch=quay"
        with urllib.request.urlopen(address, timeout=5) as answer:
            self.assertEqual(answer.readline(), b"data: first\n")
            heard.set()
            self.assertIn(b"data: second\n", answer.readlines())

    def test_what_is_too_large_is_told_in_words(self):
        asked = urllib.request.Request(
            f"http://127.0.0.1:{self.port}/", data=b"x" * 13_000_000, method="POST"
        )
        with self.assertRaises(urllib.error.HTTPError) as refused:
            urllib.request.urlopen(asked, timeout=10)
        with refused.exception as answer:
            self.assertEqual(answer.code, 413)
            self.assertIn("larger than 12 MB", json.load(answer)["detail"])

    def test_where_the_disk_is_full_it_says_so(self):
        """It cannot write down what is sent: here because its folder is gone."""
        with tempfile.TemporaryDirectory() as folder:
            port = free_port()
            command = front_command(Path(folder), port, *2 * [self.app.server_address[1]])
            nginx = subprocess.Popen(list(map(str, command)), preexec_fn=die_with_parent)
            self.addCleanup(end, nginx)
            for _ in range(100):
                with contextlib.suppress(OSError):
                    urllib.request.urlopen(f"http://127.0.0.1:{port}/", timeout=2).close()
                    break
                time.sleep(0.05)
            shutil.rmtree(Path(folder, "run", "client_body"))
            asked = urllib.request.Request(
                f"http://127.0.0.1:{port}/api/x", data=b"x" * 1_000_000, method="POST"
            )
            with self.assertRaises(urllib.error.HTTPError) as refused:
                urllib.request.urlopen(asked, timeout=10)
            with refused.exception as answer:
                self.assertEqual(answer.code, 503)
                self.assertIn("no room left", json.load(answer)["title"])
            end(nginx)

    def test_it_says_who_asked_after_what_was_claimed(self):
        self.assertEqual(self.get()["for"], "127.0.0.1")
        claimed = self.get(**{"X-Forwarded-For": "10.9.8.7"})
        self.assertEqual(claimed["for"], "10.9.8.7, 127.0.0.1")

    def refused(self, address: str) -> tuple[str, str]:
        """What a front that has just been started answers, and as what."""
        for _ in range(100):
            try:
                urllib.request.urlopen(address, timeout=2)
            except urllib.error.HTTPError as answer:
                with answer:
                    self.assertEqual(answer.code, 503)
                    return answer.read().decode(), answer.headers.get_content_type()
            except OSError:
                time.sleep(0.05)
        self.fail("the front did not start")

    def test_it_answers_at_another_address_where_it_is_asked_to(self):
        port = free_port()
        with tempfile.TemporaryDirectory() as folder:
            for also, there in (("", False), ("127.0.0.2", True)):
                command = front_command(Path(folder), port, free_port(), free_port(), also=also)
                nginx = subprocess.Popen(list(map(str, command)), preexec_fn=die_with_parent)
                try:
                    self.refused(f"http://127.0.0.1:{port}/api/batches")
                    with socket.socket() as other:
                        self.assertEqual(other.connect_ex(("127.0.0.2", port)) == 0, there)
                finally:
                    end(nginx)

    def test_without_the_application_it_says_so(self):
        port = free_port()
        with tempfile.TemporaryDirectory() as folder:
            command = front_command(Path(folder), port, free_port(), free_port())
            nginx = subprocess.Popen(list(map(str, command)), preexec_fn=die_with_parent)
            try:
                told, kind = self.refused(f"http://127.0.0.1:{port}/api/batches")
                self.assertEqual(kind, "application/problem+json")
                self.assertIn("try again", json.loads(told)["detail"])
                told, kind = self.refused(f"http://127.0.0.1:{port}/batches")
                self.assertEqual(kind, "text/html")
                self.assertIn('http-equiv="refresh"', told)
            finally:
                end(nginx)
