"""Proves that a bare machine can start: ./recitant start in a fresh copy with the runtime requirements alone.

Signs in, opens every page that links lead to, plays a second of each demo programme, hands over the spot, reads what
was handed over, and stops. Then a start that was cut short is taken up again. Standard library only.
"""

import http.cookiejar
import json
import re
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.parse
import urllib.request
from html.parser import HTMLParser
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
FIRST_START_S = 90  # apart from what registries take
DEMO_S = 600
_DEMO = ("Casting the Tenor", "Tenor, 30 seconds")
_MOST_PAGES = 120


class NotProved(Exception):
    """What did not work."""


class _Links(HTMLParser):
    """Addresses that a page links to, and the values of its hidden fields."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.found: list[str] = []
        self.fields: dict[str, str] = {}
        self.feed(text)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        """Keep what is asked for."""
        known = dict(attrs)
        address = known.get("href") if tag in ("a", "link") else known.get("src")
        if address:
            self.found.append(address)
        if tag == "input" and known.get("type") == "hidden" and known.get("name"):
            self.fields[str(known["name"])] = known.get("value") or ""


class Visitor:
    """A browser without scripts: cookies, pages, forms."""

    def __init__(self, base: str) -> None:
        self.base = base
        self._jar = http.cookiejar.CookieJar()
        self._opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self._jar))

    def get(self, path: str) -> bytes:
        """What lies at an address.

        Raises:
            NotProved: anything but success.
        """
        return self._open(urllib.request.Request(self.base + path))

    def post(self, path: str, fields: dict[str, str]) -> bytes:
        """What comes back from a form that stands at an address."""
        hidden = _Links(self.get(path).decode()).fields
        data = urllib.parse.urlencode({**hidden, **fields}).encode()
        return self._open(urllib.request.Request(self.base + path, data, {"Referer": self.base + path}))

    def _open(self, request: urllib.request.Request) -> bytes:
        try:
            with self._opener.open(request, timeout=120) as answer:
                return bytes(answer.read())
        except OSError as error:
            raise NotProved(f"{request.get_method()} {request.full_url}: {error}") from error


def main() -> int:
    """The proof; 0 where everything held."""
    with tempfile.TemporaryDirectory(prefix="recitant-start-") as scratch:
        copy = Path(scratch) / "checkout"
        _copy(copy)
        try:
            _prove(copy)
        except NotProved as error:
            _say(f"NOT PROVED: {error}")
            for log in sorted((copy / "var" / "app").glob("*.log")):
                print(f"--- {log.name}\n{log.read_text(errors='replace')[-3000:]}")
            return 1
    _say("a bare machine starts")
    return 0


def _copy(target: Path) -> None:
    listed = subprocess.run(
        ["git", "ls-files", "-z", "--cached", "--others", "--exclude-standard"],
        cwd=ROOT,
        capture_output=True,
        check=True,
    )
    for name in filter(None, listed.stdout.decode().split("\0")):
        source = ROOT / name
        if source.exists() or source.is_symlink():
            (target / name).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy2(source, target / name, follow_symlinks=False)


def _prove(copy: Path) -> None:
    _say("the environment of the runtime requirements alone")
    packages = "machine.install_packages(machine.SERVICES | machine.LIBRARIES)"
    make = f"import machine; {packages}; machine.make_environment()"
    if subprocess.run([sys.executable, "-c", make], cwd=copy / "scripts", check=False).returncode:
        raise NotProved("the environment could not be made")
    began = time.monotonic()
    with Started(copy) as (visitor, account):
        took = time.monotonic() - began
        _say(f"the first start took {took:.0f} s (asked: {FIRST_START_S})")
        visitor.post("/sign-in", {"username": account["name"], "password": account["password"]})
        _wait_for_demo(visitor)
        _say(f"the demo was there after {time.monotonic() - began:.0f} s")
        _walk(visitor)
    _say("a start that was cut short is taken up again")
    (copy / "var" / "app" / "demo" / "loaded.json").write_text(json.dumps(["tenor-30-seconds"]))
    with Started(copy) as (visitor, account):
        visitor.post("/sign-in", {"username": account["name"], "password": account["password"]})
        ends = time.monotonic() + DEMO_S
        while visitor.get("/").decode().count(_DEMO[0]) < 2:
            if time.monotonic() > ends:
                raise NotProved("the demo programme that was missing did not come")
            time.sleep(1)


class Started:
    """The application while the context lasts: a visitor and the account; a clean stop at the end."""

    def __init__(self, copy: Path) -> None:
        self.copy = copy
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = int(probe.getsockname()[1])

    def __enter__(self) -> tuple[Visitor, dict[str, str]]:
        command = [sys.executable, str(self.copy / "recitant"), "start", "--port", str(self.port)]
        self.process = subprocess.Popen(command, cwd=self.copy, stdout=subprocess.PIPE, text=True)
        assert self.process.stdout is not None
        for line in self.process.stdout:
            if "Ctrl-C stops it" in line:
                account = json.loads((self.copy / "var" / "app" / "demo-account.json").read_text())
                return Visitor(f"http://127.0.0.1:{self.port}"), account
        raise NotProved(f"the start ended with {self.process.wait()}")

    def __exit__(self, *_error: object) -> None:
        self.process.send_signal(signal.SIGTERM)
        try:
            code = self.process.wait(60)
        except subprocess.TimeoutExpired as error:
            self.process.kill()
            raise NotProved("it does not stop") from error
        if code != 0:
            raise NotProved(f"it stopped with {code}")
        with socket.socket() as probe:
            if probe.connect_ex(("127.0.0.1", self.port)) == 0:
                raise NotProved("something still answers after the stop")


def _wait_for_demo(visitor: Visitor) -> None:
    ends = time.monotonic() + DEMO_S
    while not all(title in visitor.get("/").decode() for title in _DEMO):
        if time.monotonic() > ends:
            raise NotProved("the demo did not come")
        time.sleep(1)


def _walk(visitor: Visitor) -> None:
    home = visitor.get("/").decode()
    missing = [title for title in _DEMO if title not in home]
    if missing:
        raise NotProved(f"demo programmes are missing: {missing}")
    opened = _open_every_page(visitor)
    _say(f"{len(opened)} pages and files opened")
    ids: dict[int, str] = {}
    for number in sorted({int(n) for n in re.findall(r"/programmes/(\d+)/", home)}):
        for page in ("intake", "arrange", "level", "balance", "hand-over"):
            text = visitor.get(f"/programmes/{number}/{page}").decode()
            ids[number] = next((title for title in _DEMO if title in text), ids.get(number, ""))
        second = visitor.get(f"/programmes/{number}/sound?start=480000&length=48000")
        if second[:4] != b"RIFF" or not any(second[100:]):
            raise NotProved(f"programme {number} does not sound")
    _hand_over(visitor, next(number for number, title in ids.items() if title == _DEMO[1]))


def _open_every_page(visitor: Visitor) -> set[str]:
    waiting, opened = ["/"], set[str]()
    while waiting and len(opened) < _MOST_PAGES:
        path = waiting.pop()
        opened.add(path)
        body = visitor.get(path)
        if body.lstrip()[:9].lower() == b"<!doctype":
            for link in _Links(body.decode()).found:
                address = urllib.parse.urljoin(path, link).split("#")[0]
                if address.startswith("/") and address not in opened and address not in waiting:
                    waiting.append(address)
    return opened


def _hand_over(visitor: Visitor, number: int) -> None:
    visitor.post(f"/programmes/{number}/hand-over", {})
    ends = time.monotonic() + 300
    while time.monotonic() < ends:
        page = visitor.get(f"/programmes/{number}/hand-over").decode()
        files = re.findall(r'href="(/programmes/\d+/deliveries/\d+/[^"]+)"', page)
        mixes = [file for file in files if file.endswith("mix-ebu-r128-s1.wav")]
        if mixes:
            if "✓ passes" not in page or len(visitor.get(mixes[0])) < 30 * 48_000 * 6:
                raise NotProved("the spot that was handed over does not pass, or is not whole")
            return
        time.sleep(0.5)
    raise NotProved("the spot was not handed over within five minutes")


def _say(text: str) -> None:
    print(f"prove-start: {text}", file=sys.stderr, flush=True)


if __name__ == "__main__":
    sys.exit(main())
