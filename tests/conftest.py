"""What web and browser tests share: accounts, programmes with recordings, and jobs that run where they are sent."""

import io
import os
import socketserver
import threading
from http.server import BaseHTTPRequestHandler

import hypothesis
import numpy as np
import pytest
import soundfile

from recitant_core.ports import no_progress
from signals import RATE_HZ, programme, sine
from signals.films import mp3_bytes

# How long an example takes says how busy the machine is: tests have no deadline.
hypothesis.settings.register_profile("recitant", deadline=None)
hypothesis.settings.load_profile("recitant")


def wav_bytes(audio, subtype="PCM_24", rate_hz=RATE_HZ):
    """A WAV file in memory."""
    file = io.BytesIO()
    soundfile.write(file, audio, rate_hz, subtype, format="WAV")
    return file.getvalue()


@pytest.fixture
def tmp_path(tmp_path):
    """A folder of the test's own that accounts of services may pass through, as most checkouts are."""
    if os.geteuid() == 0:
        for folder in (tmp_path, *tmp_path.parents):
            if folder.stat().st_mode & 0o077 == 0:
                folder.chmod(0o711)
    return tmp_path


@pytest.fixture(autouse=True, scope="module")
def _no_segments_of_another_test():
    """Recordings in memory share their names between tests; kept segments would mix them up."""
    from recitant_core.render.segments import forget_segments

    forget_segments()


@pytest.fixture(autouse=True, scope="session")
def _each_recording_is_heard_once():
    """Speech in recordings that are kept by the hash of their file is found once for all tests."""
    from recitant_io.hearing import speech

    found, model = {}, speech.model_probabilities

    def remembered(source, progress=no_progress):
        if len(source.key) < 64:  # a recording in memory, whose name says nothing
            return model(source, progress)
        if source.key not in found:
            found[source.key] = model(source, progress)
        return found[source.key]

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(speech, "model_probabilities", remembered)
        yield


@pytest.fixture(scope="module")
def scripts():
    """Calls what the pages' own modules export: ``scripts("lib/units.js")("signed", -1.0)``."""
    from js.node import node_modules

    with node_modules() as module:
        yield module


@pytest.fixture
def listener(tmp_path):
    """A loopback server that would hand out a sound; the paths that were asked for."""
    asked = []
    sound = mp3_bytes(tmp_path)

    class Handler(BaseHTTPRequestHandler):
        def do_GET(self):
            asked.append(self.path)
            self.send_response(200)
            self.end_headers()
            self.wfile.write(sound)

        def log_message(self, *_arguments):
            pass

    with socketserver.ThreadingTCPServer(("127.0.0.1", 0), Handler) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        yield f"http://127.0.0.1:{server.server_address[1]}", asked
        server.shutdown()


@pytest.fixture
def media(settings, tmp_path):
    """A media folder for one test, and no plan kept from another."""
    from recitant_web.shared.caches import clear_caches

    settings.MEDIA_ROOT = tmp_path / "media"
    settings.MEDIA_ROOT.mkdir()
    clear_caches()
    return settings.MEDIA_ROOT


@pytest.fixture
def jobs_run_at_once(monkeypatch):
    """Every job is done by the time it was sent, through the same task that a worker runs."""
    from recitant_web.arrange import tasks as arrange_tasks
    from recitant_web.balance import tasks as balance_tasks
    from recitant_web.delivery import tasks as delivery_tasks
    from recitant_web.jobs import actions
    from recitant_web.listening import tasks as listening_tasks
    from recitant_web.programme import tasks as programme_tasks
    from recitant_web.transcript import tasks as transcript_tasks

    tasks = {
        t.name: t
        for t in (
            programme_tasks.ingest_source,
            programme_tasks.listen_to_source,
            programme_tasks.lighten_picture,
            listening_tasks.examine_revision,
            listening_tasks.listen_to_mix,
            transcript_tasks.hear_recording,
            arrange_tasks.vary_one_clip,
            balance_tasks.balance_programme,
            delivery_tasks.deliver_programme,
        )
    }
    monkeypatch.setattr(actions, "_send", lambda job_id, kind: tasks[kind](job_id=job_id))


@pytest.fixture
def account(db):
    """A user with a workspace."""
    from recitant_web.accounts.actions import create_account

    return create_account("ines", "a-long-enough-word", "Foundry Films")


@pytest.fixture
def stranger(db):
    """Somebody of another workspace."""
    from recitant_web.accounts.actions import create_account

    return create_account("otto", "a-long-enough-word", "Elsewhere")[0]


def make_programme(workspace):
    """A programme of eight seconds with a dialogue, a music and an effects recording, through intake."""
    from recitant_web.programme.actions import bring_in, create_programme

    made = create_programme(workspace, "Test film", "25", "ebu-r128")
    recordings = {
        ("dialogue", "voice.wav"): programme(21, 6.0, 1),
        ("music", "score.wav"): programme(22, 8.0) * np.float32(1.6),
        ("effects", "bang.wav"): sine(-38, 1.0, 300.0, n_channels=1),
    }
    for (role, name), audio in recordings.items():
        data = wav_bytes(audio)
        bring_in(made, role, name, len(data), [data])
    made.refresh_from_db()
    return made


SPOKEN = "Um you do not pour a bell you let it go and you wait"


def start_of_word(k):
    """Where a word of the film with words begins: every third of a second, with a pause before the other person."""
    return round((0.4 + 0.33 * k + (0.6 if k > 6 else 0.0)) * RATE_HZ)


def make_spoken(film):
    """A film with words in its dialogue, as if a model had heard them: 0.25 s each, of two people."""
    from recitant_web.transcript.models import Speaker, Transcript

    one, two = (Speaker.objects.create(programme=film, name=name) for name in ("Founder", "Apprentice"))
    words = []
    for k, text in enumerate(SPOKEN.split()):
        at = start_of_word(k)
        who = two.pk if k > 6 else one.pk
        words.append([text, at, at + round(0.25 * RATE_HZ), 0.3 if text == "pour" else 0.9, who])
    source = film.sources.get(role="dialogue")
    Transcript.objects.create(source=source, words=words, language="en", model="by hand", stamp=1)
    return film


@pytest.fixture
def after_commit(django_capture_on_commit_callbacks):
    """What waits for the end of a transaction runs inside this."""
    return lambda: django_capture_on_commit_callbacks(execute=True)


@pytest.fixture
def film(account, media, jobs_run_at_once, after_commit):
    """A programme with three recordings."""
    with after_commit(), after_commit():
        made = make_programme(account[1])
    made.refresh_from_db()
    return made


@pytest.fixture
def signed_in(client, account):
    """A client of the workspace's user."""
    client.force_login(account[0])
    return client


collect_ignore = ["mutation"]
"""A command of its own."""


def pytest_addoption(parser):
    """--stage 1: what says within two minutes that a change is broken; 3: what drives a browser; 2: all others."""
    parser.addoption("--stage", type=int, choices=(1, 2, 3), help="the tests of one stage alone")


def _stage(item):
    tests = item.config.rootpath / "tests"
    if not item.path.is_relative_to(tests):
        return 1  # an example in a docstring
    place = item.path.relative_to(tests).parts[0]
    return {"test_house_rules.py": 1, "core": 1, "js": 1, "browser": 3}.get(place, 2)


def pytest_collection_modifyitems(config, items):
    """Leave other stages out."""
    stage = config.getoption("--stage")
    if stage:
        left_out = [item for item in items if _stage(item) != stage]
        config.hook.pytest_deselected(items=left_out)
        items[:] = [item for item in items if _stage(item) == stage]
