"""A reader that a hostile file took over: what it may still ask of the system."""

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest
import soundfile

from recitant_io.media import confined, isolation

DATA = Path(__file__).parents[1] / "data" / "reading.flac"
PROGRAM = """
import json, os, signal, socket, sys
from pathlib import Path
import soundfile
from recitant_io.media.isolation import isolate
own, secret, folder, parent = Path(sys.argv[1]), Path(sys.argv[2]), Path(sys.argv[3]), int(sys.argv[4])
isolate([own], [folder])
tries = {
    "a socket": lambda: socket.socket(),
    "a local socket": lambda: socket.socket(socket.AF_UNIX),
    "a pair": lambda: socket.socketpair(),
    "a secret": lambda: secret.read_text(),
    "a folder": lambda: os.listdir(secret.parent),
    "accounts": lambda: open("/etc/passwd").read(),
    "the environment of another": lambda: open(f"/proc/{parent}/environ").read(),
    "writing beside": lambda: secret.with_name("left").write_text("x"),
    "a link to a secret": lambda: (os.link(secret, folder / "link"), (folder / "link").read_text()),
    "another program": lambda: os.execv("/bin/true", ["true"]),
    "a signal": lambda: os.kill(parent, 0),
}
done = []
for name, attempt in tries.items():
    try:
        attempt()
        done.append(name)
    except OSError:
        pass
(folder / "made").write_text("light copy")
print(json.dumps([done, soundfile.info(str(own)).frames, (folder / "made").read_text()]))
"""


def test_it_has_no_network_no_program_and_no_file_but_its_own(tmp_path):
    secret, folder = tmp_path / "var" / "secrets.json", tmp_path / "pictures"
    secret.parent.mkdir()
    folder.mkdir()
    secret.write_text("hidden")
    environment = {**os.environ, "PYTHONPATH": os.pathsep.join(filter(None, sys.path))}
    command = [sys.executable, "-c", PROGRAM, str(DATA), str(secret), str(folder), str(os.getpid())]
    ran = subprocess.run(command, capture_output=True, text=True, env=environment, check=False)
    assert ran.returncode == 0, ran.stderr[-2_000:]
    done, frames, made = json.loads(ran.stdout)
    assert frames == soundfile.info(DATA).frames and made == "light copy"
    if isolation.has_file_rules():
        assert done == []
    else:  # an older kernel: files stay, everything else does not
        files = {
            "a secret",
            "a folder",
            "accounts",
            "the environment of another",
            "writing beside",
            "a link to a secret",
        }
        assert set(done) <= files


@pytest.mark.skipif(not isolation.has_file_rules(), reason="the kernel keeps no rules for files")
def test_the_application_reads_through_it_and_the_reader_opens_nothing_else(monkeypatch, tmp_path):
    (tmp_path / "readers").mkdir()
    (tmp_path / "secrets.json").write_text("hidden")
    text = f"""
import sys
from recitant_io.media import confinement
def read(path, out, **more):
    try:
        found = open({str(tmp_path / "secrets.json")!r}).read()
    except PermissionError:
        found = "refused"
    raise confinement.RecitantError("told", found=found, own=len(path.read_bytes()))
confinement._OPERATIONS["decode"] = (read, confinement._SOUND_BYTES)
sys.exit(confinement.main())
"""
    (tmp_path / "readers" / "curious_reader.py").write_text(text)
    monkeypatch.setattr(confined, "READER", "curious_reader")
    monkeypatch.setattr(sys, "path", [str(tmp_path / "readers"), *sys.path])
    with pytest.raises(Exception, match="told") as told, confined.open_media(DATA):
        pass
    assert told.value.facts == {"found": "refused", "own": DATA.stat().st_size}
