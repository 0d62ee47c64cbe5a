"""Who comes to the database, to the files beside it, and what a start does that was cut short or has to wait."""

import importlib
import os
import pwd
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
services = importlib.import_module("services")
serving = importlib.import_module("serving")
processes = importlib.import_module("processes")
watch = importlib.import_module("watch")
machine = importlib.import_module("machine")
needs_root = pytest.mark.skipif(os.geteuid() != 0, reason="only root starts services as other accounts")


def ask(found, statement, user="root", password=None, *more):
    """Exit code, and what MariaDB's own client prints."""
    known = {"root": found._secrets["root"], "recitant": found._secrets["database"]}
    given = known.get(user, "") if password is None else password
    command = ["mariadb", "--no-defaults", "-N", "-B", f"--socket={found._socket_path}", f"--user={user}", *more]
    done = subprocess.run(
        [*command, "-e", statement], env={**os.environ, "MYSQL_PWD": given}, capture_output=True, text=True, check=False
    )
    return done.returncode, done.stdout + done.stderr


@pytest.fixture(scope="module")
def running(tmp_path_factory):
    """Services of a folder as earlier revisions left it: root without a password, and an account without a name."""
    root = tmp_path_factory.mktemp("doors")
    for folder in (root, root.parent, root.parent.parent):
        if os.geteuid() == 0 and folder.stat().st_mode & 0o077 == 0:
            folder.chmod(0o711)
    with services.running(root / "app", is_lasting=False) as found:
        for statement in (
            "CREATE USER root@127.0.0.1; GRANT ALL ON *.* TO root@127.0.0.1 WITH GRANT OPTION",
            'CREATE USER root@"::1"; GRANT ALL ON *.* TO root@"::1"',
            'CREATE USER root@somewhere; CREATE USER ""@localhost',
            'CREATE USER recitant@127.0.0.1 IDENTIFIED BY "old"; GRANT FILE ON *.* TO recitant@localhost',
        ):
            assert ask(found, statement)[0] == 0
        (found.folder / "database-ready").touch()
    with services.running(root / "app", is_lasting=False) as found:
        yield found


def test_the_database_has_three_accounts_and_none_without_a_password(running):
    code, listed = ask(running, "SELECT User, Host FROM mysql.global_priv WHERE User <> 'PUBLIC' ORDER BY User")
    assert code == 0
    assert listed.split("\n")[:-1] == ["mariadb.sys\tlocalhost", "recitant\tlocalhost", "root\tlocalhost"]
    for user in ("root", "", "recitant", "mariadb.sys", "mysql", "nobody"):
        code, said = ask(running, "SELECT 1", user, "")
        assert code != 0 and "denied" in said, (user, said)


def test_the_database_listens_at_its_socket_alone(running):
    assert ask(running, "SELECT @@skip_networking")[1].strip() == "1"
    pids = {kept._process.pid for kept in running._kept if kept.name == "MariaDB"}
    inodes = {str(link.readlink()) for pid in pids for link in Path(f"/proc/{pid}/fd").iterdir()}
    for table in ("tcp", "tcp6"):
        lines = [line.split() for line in Path(f"/proc/net/{table}").read_text().splitlines()[1:]]
        assert not [line for line in lines if f"socket:[{line[9]}]" in inodes]


def test_the_application_reads_and_writes_no_files_through_the_database(running, tmp_path):
    grants = ask(running, "SHOW GRANTS", "recitant")[1]
    assert "FILE" not in grants and "SUPER" not in grants and "ON *.* TO" in grants.replace("`", "")
    assert "USAGE ON *.*" in grants and "ALL PRIVILEGES ON `recitant`.*" in grants
    code, said = ask(running, "SELECT 1 INTO OUTFILE '/tmp/left-by-the-database'", "recitant")
    assert code != 0 and "denied" in said and not Path("/tmp/left-by-the-database").exists()
    # Not even root of the database leaves its folder.
    code, said = ask(running, "SELECT LOAD_FILE('/etc/passwd')")
    assert said.strip() == "NULL"


@needs_root
def test_services_have_accounts_of_their_own(running):
    for kept, name in zip(running._kept, ("mysql", "redis"), strict=True):
        status = Path(f"/proc/{kept._process.pid}/status").read_text()
        uid = int(next(line for line in status.splitlines() if line.startswith("Uid:")).split()[1])
        assert pwd.getpwuid(uid).pw_name == name


@needs_root
def test_below_a_closed_folder_services_keep_their_data_where_they_can_enter(tmp_path):
    closed = tmp_path / "closed"
    closed.mkdir(mode=0o700)
    folder = closed / "app"
    with services.running(folder, is_lasting=False) as found:
        place = Path((folder / "services-at").read_text())
        assert place.parent == Path("/var/lib/recitant") and found.data == place / "mariadb"
        assert ask(found, "CREATE TABLE recitant.mine (id INT)")[0] == 0
        assert found.data.stat().st_uid == pwd.getpwnam("mysql").pw_uid
    folder.rename(closed / "aside")  # as a restore does
    with services.running(closed / "aside", is_lasting=False) as found:
        assert ask(found, "SELECT COUNT(*) FROM recitant.mine")[1].strip() == "0"
    services.empty(closed / "aside")
    assert not place.exists()


def test_settings_are_never_written_through_a_link(tmp_path):
    folder, victim = tmp_path / "var", tmp_path / "victim"
    victim.write_text("mine")
    folder.mkdir()
    for name in ("redis.conf", "redis.part", "nginx.conf", "secrets.json", "environment.json"):
        if name != "secrets.json":
            (folder / name).symlink_to(victim)
    with services.running(folder, is_lasting=False):
        kept = serving.proxy(folder, services.free_port(), 1)
        assert str(folder / "nginx.conf") in kept.command
    assert victim.read_text() == "mine"
    assert not (folder / "nginx.conf").is_symlink() and not (folder / "redis.conf").is_symlink()


def test_a_start_waits_as_long_as_a_service_lives_and_says_for_what(tmp_path, monkeypatch, capsys):
    monkeypatch.setattr(services, "_SAID_EVERY_S", 0.3)
    found = services.Services(tmp_path / "var", is_lasting=False)
    slow = processes.KeptProcess("MariaDB", ["sleep", "30"], tmp_path, "slow.log")
    (tmp_path / "slow.log").write_text("InnoDB: Starting crash recovery\n")
    began = time.monotonic()
    try:
        (found.folder / "slow.log").write_text("InnoDB: Starting crash recovery\n")
        found._start(slow, lambda: time.monotonic() - began > 1.5)
    finally:
        found.stop()
    said = capsys.readouterr().err
    assert "waiting for MariaDB" in said and "crash recovery" in said
    with pytest.raises(machine.CannotGoOn, match=r"did not start. Its log is .*short\.log"):
        found._start(processes.KeptProcess("Redis", ["false"], tmp_path, "short.log"), lambda: False)


def test_a_database_folder_that_was_begun_and_never_finished_is_made_again(tmp_path):
    folder = tmp_path / "var"
    (folder / "mariadb.part" / "mysql").mkdir(parents=True)
    (folder / "mariadb").mkdir()
    with services.running(folder, is_lasting=False) as found:
        assert ask(found, "SELECT 1", "recitant")[1].strip() == "1"
    assert not (folder / "mariadb.part").exists()


def test_what_a_start_makes_ends_with_it(tmp_path):
    """SIGKILL while recordings of the demo are made: its makers end too."""
    make = [str(ROOT / "demo" / "make.py"), str(tmp_path)]
    inner = f"import subprocess, sys; p = subprocess.Popen([sys.executable, *{make!r}]); print(p.pid, flush=True)"
    program = f"""
import os, subprocess, sys
sys.path.insert(0, {str(ROOT / "scripts")!r})
from processes import end_with_parent
subprocess.run([sys.executable, "-c", {inner + "; p.wait()"!r}], preexec_fn=end_with_parent(os.getpid()))
"""
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
    started = subprocess.Popen([sys.executable, "-c", program], stdout=subprocess.PIPE, text=True, env=environment)
    maker = int(started.stdout.readline())
    ends_at = time.monotonic() + 30
    while not (found := _children(maker)) and time.monotonic() < ends_at:
        time.sleep(0.05)
    assert found
    os.kill(started.pid, signal.SIGKILL)
    started.wait()
    ends_at = time.monotonic() + 10
    while time.monotonic() < ends_at and any(_lives(one) for one in (maker, *found)):
        time.sleep(0.05)
    assert not any(_lives(one) for one in (maker, *found))


def _children(process_id):
    try:
        return [int(n) for n in Path(f"/proc/{process_id}/task/{process_id}/children").read_text().split()]
    except FileNotFoundError:
        return []


def _lives(process_id):
    try:
        return Path(f"/proc/{process_id}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except FileNotFoundError:
        return False


# A web server that computes without end.


@pytest.fixture
def clock(monkeypatch):
    """Seconds that the watch sees, as a list of one."""
    now = [1_000.0]
    monkeypatch.setattr(watch.time, "monotonic", lambda: now[0])
    monkeypatch.setattr(watch.time, "time", lambda: now[0])
    return now


@pytest.fixture
def server():
    """A socket that answers when told to: the number of answers that it still gives."""
    import threading

    listening = socket.create_server(("127.0.0.1", 0))
    answers = [1]

    def serve():
        while True:
            try:
                line, _ = listening.accept()
            except OSError:
                return
            line.recv(1000)
            if answers[0] > 0:
                answers[0] -= 1
                line.sendall(b"HTTP/1.1 200 OK\r\n\r\nok")
                line.close()
            else:
                silent.append(line)

    silent = []
    threading.Thread(target=serve, daemon=True).start()
    yield listening.getsockname()[1], answers
    listening.close()


def look(found, clock, seconds):
    """Whether it is silent at the end of so many seconds, looked at twice a second."""
    for _ in range(round(2 * seconds)):
        clock[0] += 0.5
        time.sleep(0.01)  # the line is real
        if found.is_silent():
            return True
    return False


def test_a_web_server_that_never_answered_is_waited_for(tmp_path, clock, server):
    port, answers = server
    answers[0] = 0
    found = watch.HealthWatch(port, tmp_path)
    assert not look(found, clock, 120) and not found.has_answered


def test_a_web_server_that_stops_answering_is_started_again_after_twenty_seconds(tmp_path, clock, server):
    port, _ = server
    found = watch.HealthWatch(port, tmp_path)
    assert not look(found, clock, 5) and found.has_answered
    began = clock[0]
    assert look(found, clock, 60) and 15 <= clock[0] - began <= 30
    found.begin()
    assert not found.is_silent()


def test_threads_that_wait_for_slow_lines_are_left_alone(tmp_path, clock, server):
    port, _ = server
    found = watch.HealthWatch(port, tmp_path)
    assert not look(found, clock, 5)
    for _ in range(20):
        (tmp_path / watch.SIGN).touch()
        os.utime(tmp_path / watch.SIGN, (clock[0], clock[0]))
        assert not look(found, clock, 10)
    for _ in range(60):  # but not for ever
        os.utime(tmp_path / watch.SIGN, (clock[0], clock[0]))
        if look(found, clock, 10):
            return
    pytest.fail("a server without an answer for twenty minutes was left alone")
