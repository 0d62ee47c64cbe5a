"""Web server and workers, kept alive beside the services until somebody stops them. Standard library only."""

import json
import secrets
import socket
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Final

from machine import PYTHON, ROOT, CannotGoOn, say
from private_files import write_private
from processes import Beside, KeptProcess, can_enter, give_to, service_user
from services import Services, answers, last_line
from watch import SILENT_S, HealthWatch

USUAL_PORT: Final = 8420
_TEND_EVERY_S: Final = 0.2
_SAID_EVERY_S: Final = 10.0
_BACKLOG: Final = 256
WORKERS: Final = {
    # Files that people wait for have a worker of their own; it also wakes what must be looked after.
    "intake": ["--queues", "intake", "--beat"],
    "measuring": ["--queues", "measuring,intake"],
    "delivering": ["--queues", "delivering"],
    "long": ["--queues", "long"],
}
QUEUES: Final = ("measuring", "delivering", "long")
"""That workers of other machines may take from: files are taken in where they arrive."""


def serve(
    services: Services,
    environment: dict[str, str],
    listening: socket.socket,
    account: dict[str, str],
    proxy_port: int | None = None,
    workers: Sequence[str] | None = None,
    beside: Sequence[Beside] = (),
) -> int:
    """Keep pages and workers alive until Ctrl-C; the exit code.

    Args:
        listening: of the web server.
        proxy_port: of a proxy before it, which people come to; None for none.
        workers: names of those that run beside the pages; all if None.
        beside: commands of a first start that need not be done before the pages come up.

    Raises:
        CannotGoOn: the pages do not come up.
    """
    inner_port = int(listening.getsockname()[1])
    port = proxy_port or inner_port
    if proxy_port is not None:
        environment = {**environment, "RECITANT_PROXIES": "1"}
    web = _web(services, environment, listening)
    watch = HealthWatch(inner_port, services.folder)
    kept = [web]
    kept += [
        _worker(services.folder, environment, name, more)
        for name, more in WORKERS.items()
        if workers is None or name in workers
    ]
    kept += [proxy(services.folder, proxy_port, inner_port)] if proxy_port is not None else []

    def welcome() -> None:
        _wait_for_page(watch, web)
        while not answers(port):  # the proxy, where there is one
            if any(one.has_ended() for one in kept):
                raise CannotGoOn(f"the proxy did not start. Its log is {services.folder / 'nginx.log'}.")
            time.sleep(0.05)
        _welcome(port, services.folder, account)

    def tend() -> None:
        services.tend()
        for one in beside:
            one.tend()
        if web.has_ended():
            watch.begin()
        elif watch.is_silent():
            say(f"the web server did not answer for {SILENT_S:.0f} s and is started again; see {web.folder / web.log}")
            web.kill()

    try:
        return _keep(kept, welcome, tend)
    finally:
        for one in beside:
            one.stop()


def listen_at(port: int, *, is_inner: bool = False) -> socket.socket:
    """The socket of the web server: at a port of 127.0.0.1, or at the usual one or a free one where none is given.

    The start command holds it, so that a visitor waits, and is not turned away, while the web server starts again.

    Args:
        is_inner: whether a proxy has that port, and any free one will do.

    Raises:
        CannotGoOn: the port is taken.
    """
    for wanted in [0] if is_inner else [port] if port else [USUAL_PORT, 0]:
        try:
            return socket.create_server(("127.0.0.1", wanted), backlog=_BACKLOG)
        except OSError:
            continue
    raise CannotGoOn(f"port {port} of 127.0.0.1 is taken; give another one with --port.")


def free_port_for_pages(port: int) -> int:
    """The port that a proxy will listen at: this one, or the usual one or a free one.

    Raises:
        CannotGoOn: the port is taken.
    """
    with listen_at(port) as found:
        return int(found.getsockname()[1])


def proxy(folder: Path, port: int, inner_port: int) -> KeptProcess:
    """nginx before the web server.

    Args:
        folder: of the application; the proxy works in one of its own inside.
        port: of 127.0.0.1, that people come to.
        inner_port: of the web server.
    """
    own = folder / "nginx"
    user = service_user("www-data")
    if user is not None and not can_enter(user, own):
        user = None
    own.mkdir(exist_ok=True)
    values = {"folder": str(own), "listen": f"127.0.0.1:{port}", "inner_port": str(inner_port)}
    text = (ROOT / "deploy" / "nginx.conf").read_text()
    for name, value in values.items():
        text = text.replace(f"{{{name}}}", value)
    # Where the proxy cannot write: a link that it put there would be followed with the rights of the start command.
    settings = folder / "nginx.conf"
    write_private(settings, text, user)
    give_to(user, own)
    command = ["/usr/sbin/nginx", "-e", "stderr", "-p", str(own), "-c", str(settings)]
    return KeptProcess("the proxy", command, folder, "nginx.log", user=user)


def demo_account(folder: Path) -> dict[str, str]:
    """Name and password of the demo's account, made once."""
    path = folder / "demo-account.json"
    if not path.exists():
        password = "-".join(secrets.token_hex(2) for _ in range(3))
        write_private(path, json.dumps({"name": "demo", "password": password}))
    return dict(json.loads(path.read_text()))


def _web(services: Services, environment: dict[str, str], listening: socket.socket) -> KeptProcess:
    command = [str(PYTHON), "-m", "gunicorn", "recitant_web.config.wsgi:application"]
    command += ["--config", "python:recitant_web.config.server", "--bind", f"fd://{listening.fileno()}"]
    return KeptProcess(
        "the web server", command, services.folder, "web.log", environment, sockets=(listening.fileno(),)
    )


def work(folder: Path, environment: dict[str, str], queues: Sequence[str]) -> int:
    """Keep a worker for each queue alive until Ctrl-C; the exit code.

    Args:
        folder: of this machine's copies and logs.
        environment: where the services of the other machine are, and the store of media.
    """
    kept = [_worker(folder, environment, name, ["--queues", name]) for name in queues]
    told = f"working for {environment['RECITANT_DB_HOST']}: {', '.join(queues)}; Ctrl-C stops it"
    return _keep(kept, lambda: say(told))


def _keep(
    kept: Sequence[KeptProcess], started: Callable[[], None], tend_others: Callable[[], None] = lambda: None
) -> int:
    """Keep processes alive until Ctrl-C; the exit code.

    Args:
        started: called once all were started; may raise.
        tend_others: called whenever these are looked at.
    """
    try:
        for one in kept:
            one.start()
        started()
        while True:
            time.sleep(_TEND_EVERY_S)
            tend_others()
            for one in kept:
                one.tend()
    except KeyboardInterrupt:
        say("stopping")
        return 0
    finally:
        for one in kept:
            one.ask_to_stop()
        for one in kept:
            one.wait()


def _worker(folder: Path, environment: dict[str, str], name: str, more: list[str]) -> KeptProcess:
    command = [str(PYTHON), "-m", "celery", "-A", "recitant_web.config.celery:app", "worker", "--pool", "solo"]
    command += ["--hostname", f"{name}@%h", "--loglevel", "WARNING", "--without-gossip", "--without-mingle", *more]
    if "--beat" in more:
        command += ["--schedule", str(folder / "schedule")]
    return KeptProcess(f"the worker for {name}", command, folder, f"worker-{name}.log", environment)


def _welcome(port: int, folder: Path, account: dict[str, str]) -> None:
    print(f"\n  Recitant is at  http://127.0.0.1:{port}/", flush=True)
    shown = folder / "demo-account-shown"
    if shown.exists():
        print(f"  sign in as      {account['name']}; the password is in {folder / 'demo-account.json'}", flush=True)
    else:
        print(f"  sign in as      {account['name']}  with  {account['password']}", flush=True)
        print(f"  (shown this once; it is kept in {folder / 'demo-account.json'})", flush=True)
        shown.touch()
    print("  Ctrl-C stops it.\n", flush=True)


def _wait_for_page(watch: HealthWatch, web: KeptProcess) -> None:
    began = said_at = time.monotonic()
    watch.begin()
    while not watch.has_answered:
        watch.is_silent()
        if web.has_ended():
            raise CannotGoOn(f"the web server did not start. Its log is {web.folder / web.log}.")
        if time.monotonic() - said_at >= _SAID_EVERY_S:
            said_at = time.monotonic()
            say(f"waiting for the web server, {said_at - began:.0f} s so far; {last_line(web.folder / web.log)}")
        time.sleep(0.05)
