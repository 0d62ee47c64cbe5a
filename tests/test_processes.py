"""What the start command keeps alive: it comes back, ends with its parent, and is found by the next start."""

import importlib
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

SCRIPTS = Path(__file__).parents[1] / "scripts"
private_files = importlib.import_module("private_files")
processes = importlib.import_module("processes")
services = importlib.import_module("services")


def within(seconds, question):
    """Whether something becomes true in time."""
    ends_at = time.monotonic() + seconds
    while time.monotonic() < ends_at:
        if question():
            return True
        time.sleep(0.02)
    return False


def is_alive(process_id):
    try:
        return Path(f"/proc/{process_id}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except FileNotFoundError:
        return False


@pytest.fixture
def sleeper(tmp_path):
    """A kept process that does nothing for a minute."""
    kept = processes.KeptProcess("the sleeper", [sys.executable, "-c", "import time; time.sleep(60)"], tmp_path, "log")
    kept.start()
    yield kept
    kept.ask_to_stop()
    kept.wait()


def kill(kept):
    kept._process.kill()
    kept._process.wait()


def test_a_process_that_dies_is_started_again_later_each_time(sleeper, monkeypatch, capsys):
    now = time.monotonic()
    monkeypatch.setattr(processes.time, "monotonic", lambda: now)
    delays = []
    for _ in range(8):
        kill(sleeper)
        began = now
        while sleeper.has_ended():
            sleeper.tend()
            now += 0.25 if sleeper.has_ended() else 0.0
        delays.append(now - began)
    assert delays == [0.0, 1.0, 2.0, 4.0, 8.0, 10.0, 10.0, 10.0]
    now += 61.0  # steady for more than a minute: the next end counts as the first
    kill(sleeper)
    sleeper.tend()
    assert not sleeper.has_ended()
    assert "the sleeper ended by itself and is started again in 4 s" in capsys.readouterr().err


def test_a_process_ends_when_the_start_command_is_killed(tmp_path):
    program = f"""
import os, signal, sys
sys.path.insert(0, {str(SCRIPTS)!r})
from pathlib import Path
from processes import KeptProcess
kept = KeptProcess("x", [sys.executable, "-c", "import time; time.sleep(60)"], Path({str(tmp_path)!r}), "log")
kept.start()
print(kept._process.pid, flush=True)
os.kill(os.getpid(), signal.SIGKILL)
"""
    ran = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, check=False)
    assert ran.returncode == -signal.SIGKILL
    assert within(5, lambda: not is_alive(int(ran.stdout)))


def test_what_an_earlier_start_left_in_the_folder_is_stopped_and_nothing_else(tmp_path, capsys):
    held = [
        subprocess.Popen(
            [
                sys.executable,
                "-c",
                f"import signal, time; signal.signal({signal.SIGTERM.value}, signal.SIG_IGN); time.sleep(60)",
            ],
            env={**os.environ, processes.MARK: str(folder)},
        )
        for folder in (tmp_path / "one", tmp_path / "one-more")
    ]
    try:
        # One whose beginning is another's name stays.
        assert within(5, lambda: processes.stop_leftovers(tmp_path / "one") == 1)
        assert within(5, lambda: held[0].poll() is not None)
        assert held[1].poll() is None and processes.stop_leftovers(tmp_path / "one") == 0
        assert "still hold" in capsys.readouterr().err
    finally:
        for process in held:
            process.kill()
            process.wait()


@pytest.mark.parametrize("which", [0, 1], ids=["MariaDB", "Redis"])
def test_a_service_that_is_killed_comes_back_where_it_was(tmp_path, which, capsys):
    with services.running(tmp_path / "var", is_lasting=False) as found:
        answers = (found.database_answers, found.redis_answers)[which]
        kill(found._kept[which])
        assert not answers()
        assert within(30, lambda: found.tend() or answers())


def test_folders_are_closed_to_others(tmp_path):
    folder = tmp_path / "var"
    with services.running(folder, is_lasting=False) as found:
        for part in ("media", "uploads", "mariadb", "redis", "sockets"):
            assert (folder / part).stat().st_mode & 0o077 == 0, part
        assert folder.stat().st_mode & 0o066 == 0  # an account of a service may pass through, and read nothing
        settings = folder / "redis.conf"
        assert settings.stat().st_mode & 0o077 == 0 and "maxmemory-policy noeviction" in settings.read_text()
        secret = found.environment()["RECITANT_REDIS_PASSWORD"]
        listed = subprocess.run(["ps", "ax", "-o", "args"], capture_output=True, text=True, check=True).stdout
        assert len(secret) > 20 and secret not in listed
        refused = subprocess.run(
            ["redis-cli", "-p", str(found.redis_port), "ping"], capture_output=True, text=True, check=True
        )
        assert "NOAUTH" in refused.stdout


def test_secrets_of_an_earlier_revision_are_kept_and_completed(tmp_path):
    path = tmp_path / "secrets.json"
    path.write_text('{"root": "a", "database": "b", "django": "c"}')
    found = private_files.read_secrets(path)
    assert [found[name] for name in ("root", "database", "django")] == ["a", "b", "c"] and found["redis"]
    assert private_files.read_secrets(path) == found


def test_a_service_that_hides_its_environment_is_found_by_its_note(tmp_path):
    folder = tmp_path / "var"
    with services.running(folder, is_lasting=False) as found:
        numbers = {kept._process.pid for kept in found._kept}
        assert len(numbers) == 2 and numbers <= processes.held_by(folder.resolve())
    assert processes.held_by(folder.resolve()) == set()  # a note of one that ended tells nothing
