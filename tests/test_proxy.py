"""The proxy before the pages: lines that stop in the middle of a request keep nobody else from an answer."""

import importlib
import socket
import threading
import time
import urllib.request
from http.server import BaseHTTPRequestHandler, HTTPServer

import pytest

serving = importlib.import_module("serving")
N_HALF_OPEN = 12


class _Pages(BaseHTTPRequestHandler):
    """Answers one request after the other, as a server does whose threads are all taken."""

    def do_GET(self):
        self.send_response(200)
        self.end_headers()
        self.wfile.write(str(self.headers).encode())

    def do_PUT(self):
        self.rfile.read(int(self.headers["Content-Length"]))
        self.do_GET()

    def log_message(self, *_arguments):
        pass


@pytest.fixture
def ports(tmp_path):
    """Port of the proxy, and of the server behind it."""
    with HTTPServer(("127.0.0.1", 0), _Pages) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        port = serving.free_port_for_pages(0)
        kept = serving.proxy(tmp_path, port, server.server_port)
        kept.start()
        ends_at = time.monotonic() + 20
        while socket.socket().connect_ex(("127.0.0.1", port)) and time.monotonic() < ends_at:
            time.sleep(0.05)
        yield port, server.server_port
        kept.ask_to_stop()
        kept.wait()
        server.shutdown()


def half_open(port, text):
    line = socket.create_connection(("127.0.0.1", port))
    line.sendall(text)
    return line


def answered(port, seconds=5.0):
    try:
        with urllib.request.urlopen(f"http://127.0.0.1:{port}/", timeout=seconds) as answer:
            return answer.read().decode()
    except OSError:
        return ""


@pytest.mark.parametrize(
    "begun", [b"GET / HTT", b"PUT / HTTP/1.1\r\nHost: x\r\nContent-Length: 9000\r\n\r\nhalf of it"]
)
def test_half_open_lines_stop_nobody(ports, begun):
    port, inner_port = ports
    assert answered(port)
    lines = [half_open(port, begun) for _ in range(N_HALF_OPEN)]
    assert answered(port)
    for line in lines:
        line.close()
    # Without it one such line is enough.
    line = half_open(inner_port, begun)
    time.sleep(0.2)
    assert not answered(inner_port, seconds=1.0)
    line.close()


def test_the_application_learns_who_asks_and_visitors_cannot_say_so_themselves(ports):
    request = urllib.request.Request(f"http://127.0.0.1:{ports[0]}/", headers={"X-Forwarded-For": "198.51.100.7"})
    with urllib.request.urlopen(request, timeout=5) as answer:
        told = answer.read().decode()
    assert "X-Forwarded-For: 127.0.0.1" in told and "198.51.100.7" not in told
    assert "X-Request-ID: " in told and "X-Forwarded-Proto: http" in told
