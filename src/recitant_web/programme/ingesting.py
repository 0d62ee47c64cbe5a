"""What happens to a file in the background: read, measured, listened to, and its picture made light."""

import contextlib
import hashlib
import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np
from django.db import transaction

from recitant_core.delivery.judging.figures import readings_data
from recitant_core.errors import RangeError, UnreadableMedia
from recitant_core.gain.duck_rule import CONSONANTS
from recitant_core.intake.checks import findings_of
from recitant_core.intake.evidence import Evidence, gather
from recitant_core.intake.piece_levels import speech_to_noise
from recitant_core.intake.roles import guess_role
from recitant_core.ports import Progress, SampleSource
from recitant_core.speech.activity import SpeechSpan, energy_probability, spans_from_probabilities, speech_share
from recitant_core.units.arrays import Audio
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.timecode import frame_rate, samples_from_timecode
from recitant_io.hearing.speech import speech_spans
from recitant_io.media.channels import RecorderFile
from recitant_io.media.confined import probe, recorder_file
from recitant_io.media.confined_pictures import make_proxy
from recitant_io.media.probe import Probe
from recitant_io.media.storage import storage_errors
from recitant_io.store.bands import stored_band_energy
from recitant_io.store.conform import conform, file_hash, stored_total_energy
from recitant_text.findings import finding_data
from recitant_text.messages import Message, notice_message, recorder_message
from recitant_web.jobs.actions import start_job
from recitant_web.jobs.models import Job
from recitant_web.jobs.queries import is_under_way
from recitant_web.programme.models import Picture, Pile, Programme, Source, SourceState
from recitant_web.programme.queries import conformed_folder, conformed_name, stored_source
from recitant_web.programme.signals import pile_changed, source_heard, source_ready
from recitant_web.shared.media import fetched, is_there, keep, media_path
from recitant_web.shared.names import disk_name

INGEST = "programme.ingest"
LISTEN = "programme.listen"
LIGHTEN = "programme.lighten"
SHOWN_AS = ".as-"
"""In the name of a folder in which an original has the name that its user knows, while it is read."""
_EXCERPT_SAMPLES = 10 * RATE_HZ
_N_EXCERPTS = 6
_DAY_SAMPLES = 24 * 3600 * RATE_HZ


def start_source_job(kind: str, source: Source) -> Job:
    """A job about a recording."""
    programme = source.programme
    return start_job(
        programme.workspace, kind, {"source_id": source.pk}, about=source.name, programme_number=programme.pk
    )


def ingest(source_id: int, progress: Progress) -> Message:
    """Take a source through intake: hash, conform, measure, find faults, guess its role; ready or refused.

    Raises:
        MediaError, StorageFull: the source is refused; its file stays where it is.
    """
    source = Source.objects.select_related("programme").get(pk=source_id)
    if source.state == SourceState.READY and not conformed_folder(source.sha256).exists():
        _conform_again(source, progress)
    if source.state != SourceState.WAITING:
        return notice_message("source_ready", file=source.name)
    original = fetched(source.original_file)
    keep(source.original_file)
    # Sentences name the file as the user knows it, so it is read under that name.
    with shown_as(original, source.name) as path:
        facts = probe(path)
        if facts.picture is not None and source.sound_track == 0:
            source.has_picture = True
            _take_picture(source, facts)
            if not facts.sound_tracks:
                Source.objects.filter(pk=source.pk).update(
                    state=SourceState.PICTURE, message=notice_message("picture_without_sound")
                )
                if source.pile is not None:
                    pile_changed.send(sender=Pile, pile=source.pile)
                return notice_message("source_is_picture", file=source.name)
        recorder = recorder_file(path) if source.channel is None and facts.picture is None else None
        if recorder is not None:
            return _take_apart(source, recorder)
        sha256 = file_hash(path)
        if source.channel is not None:
            sha256 = hashlib.sha256(f"{sha256} channel {source.channel}".encode()).hexdigest()
        if source.sound_track:
            sha256 = hashlib.sha256(f"{sha256} sound track {source.sound_track}".encode()).hexdigest()
        _require_new(source, sha256)
        conformed = conform(
            path, conformed_folder(sha256), lambda share: progress(0.8 * share), source.sound_track, source.channel
        )
    # The band in which first balances make room: no edit waits for it.
    stored_band_energy(conformed_folder(sha256), stored_source(sha256, conformed.n_channels), *CONSONANTS.band)
    keep(conformed_name(sha256))
    source.sha256 = sha256
    source.n_channels = conformed.n_channels
    source.rate_hz = conformed.rate_hz
    source.coding = conformed.coding[:60]
    source.length_samples = conformed.length_samples
    source.readings = readings_data(conformed.readings)
    _place_in_time(source, facts)
    _find(source, progress)
    with transaction.atomic():
        source.state = SourceState.READY
        source.save()
        if source.job_id is not None:
            source_ready.send(sender=Source, source=source)
        if not source.is_listened:
            start_source_job(LISTEN, source)
    return notice_message("source_ready", file=source.name)


def read_again(sha256: str) -> UnreadableMedia:
    """Error on a recording whose conformed copy is gone; where its file is there, it is sent to be read again."""
    source = Source.objects.filter(sha256=sha256, state=SourceState.READY).select_related("programme").first()
    if source is None or not is_there(source.original_file):
        return UnreadableMedia("recording_missing", file=source.name if source is not None else sha256[:12])
    if not is_under_way(source.programme.workspace, INGEST, {"source_id": source.pk}):
        start_source_job(INGEST, source)
    return UnreadableMedia("recording_read_again", file=source.name)


def _conform_again(source: Source, progress: Progress) -> None:
    with shown_as(fetched(source.original_file), source.name) as path:
        conform(path, conformed_folder(source.sha256), progress, source.sound_track, source.channel)
    keep(conformed_name(source.sha256))


def _take_apart(source: Source, recorder: RecorderFile) -> Message:
    """Bring in every channel of a recorder file that sounds as a recording of its own; the file is shared."""
    stem, dot, ending = source.name.rpartition(".")
    found = [(channel, recorder.names[channel] or f"ch {channel + 1}") for channel in recorder.sounding]
    silent = [recorder.names[k] or f"ch {k + 1}" for k in range(len(recorder.names)) if k not in recorder.sounding]
    message = recorder_message([name for _, name in found], silent)
    with transaction.atomic():
        for channel, name in found:
            made = Source.objects.create(
                programme=source.programme,
                name=f"{name}, {stem or source.name}{dot}{ending if stem else ''}"[:255],
                role=source.role,
                original_file=source.original_file,
                size_bytes=source.size_bytes,
                channel=channel,
                pile=source.pile,
                pile_place=source.pile_place,
            )
            made.job = start_source_job(INGEST, made)
            made.save(update_fields=["job"])
        state = SourceState.SPLIT if found else SourceState.REFUSED
        Source.objects.filter(pk=source.pk).update(state=state, message=message)
        if source.pile is not None:
            pile_changed.send(sender=Pile, pile=source.pile)
    return notice_message("source_ready", file=source.name)


def use_picture(source: Source) -> None:
    """Make the picture of a film that was brought in the picture of the programme, in place of what was.

    Raises:
        UnreadableMedia: it holds none.
    """
    with shown_as(fetched(source.original_file), source.name) as path:
        facts = probe(path)
    if facts.picture is None:
        raise UnreadableMedia("no_picture", file=source.name)
    with transaction.atomic():
        Picture.objects.filter(programme=source.programme_id).delete()
        _take_picture(source, facts)


def listen(source_id: int, progress: Progress) -> Message:
    """Hear the whole of a source for speech, and look at the faults again that speech has a part in."""
    source = Source.objects.get(pk=source_id)
    if source.is_listened or source.state != SourceState.READY:
        return notice_message("listened")
    recording = stored_source(source.sha256, source.ready_n_channels)
    speech = speech_spans(recording, stored_total_energy(conformed_folder(source.sha256)), progress)
    evidence = gather(recording)
    _store_findings(source, evidence, speech, recording)
    source.is_listened = True
    # At once: whoever sees that it was heard sees what follows from it.
    with transaction.atomic():
        source.save(update_fields=["findings", "speech", "noise", "is_listened"])
        source_heard.send(sender=Source, source=source)
    return notice_message("listened")


def listen_to_the_unheard() -> int:
    """Send every recording to be listened to that was taken in before findings were; how many there were."""
    unheard = Source.objects.filter(state=SourceState.READY, is_listened=False).select_related("programme__workspace")
    with transaction.atomic():
        for source in unheard:
            start_source_job(LISTEN, source)
    return len(unheard)


def lighten(picture_id: int, progress: Progress) -> Message:
    """Make the light copy of a picture.

    Raises:
        UnreadableMedia: it cannot be decoded.
    """
    picture = Picture.objects.select_related("programme").get(pk=picture_id)
    if picture.proxy_file:
        return notice_message("light_copy")
    relative = f"pictures/{picture.pk}-{Path(picture.original_file).name}.mp4"
    target = media_path(relative)
    with storage_errors():
        target.parent.mkdir(parents=True, exist_ok=True)
    rate = frame_rate(picture.frame_rate or picture.programme.frame_rate)
    with shown_as(fetched(picture.original_file), picture.name) as path:
        make_proxy(path, target, rate, progress)
    keep(relative)
    Picture.objects.filter(pk=picture.pk).update(proxy_file=relative)
    return notice_message("light_copy")


@contextlib.contextmanager
def shown_as(path: Path, name: str) -> Iterator[Path]:
    """A file under the name that its user knows, for as long as the context lasts.

    In a folder of this reader's own: the channels of a recorder file are read side by side from one file, and whoever
    ends first must not take the name from the others.
    """
    with tempfile.TemporaryDirectory(
        dir=path.parent, prefix=f"{path.name}{SHOWN_AS}", ignore_cleanup_errors=True
    ) as own:
        shown = Path(own) / disk_name(name)
        shown.hardlink_to(path)
        yield shown


def _require_new(source: Source, sha256: str) -> None:
    twin = Source.objects.filter(programme=source.programme_id, sha256=sha256).exclude(pk=source.pk).first()
    if twin is not None:
        raise UnreadableMedia("same_file_twice", file=source.name, twin=twin.name)


def _take_picture(source: Source, facts: Probe) -> None:
    assert facts.picture is not None
    found = facts.picture
    with transaction.atomic():
        programme = Programme.objects.select_for_update().get(pk=source.programme_id)
        if Picture.objects.filter(programme=programme).exists():
            return
        picture = Picture.objects.create(
            programme=programme,
            name=source.name,
            original_file=source.original_file,
            plays_in_browser=found.plays_in_browser,
            frame_rate=found.frame_rate or "",
            rate_hz=found.rate_hz,
            is_variable_rate=found.is_variable_rate,
            length_samples=found.length_samples,
            reference_samples=_time_of_day(facts, found.frame_rate or programme.frame_rate),
            width=found.width,
            height=found.height,
            coding=found.coding[:40],
        )
        if not found.plays_in_browser:
            picture.job = start_job(
                programme.workspace,
                LIGHTEN,
                {"picture_id": picture.pk},
                about=picture.name,
                programme_number=programme.pk,
            )
            picture.save(update_fields=["job"])


def _place_in_time(source: Source, facts: Probe) -> None:
    source.sound_tracks = [
        {"name": track.name, "coding": track.coding, "n_channels": track.n_channels} for track in facts.sound_tracks
    ]
    picture = Picture.objects.filter(programme=source.programme_id).first()
    if picture is not None and picture.original_file == source.original_file and facts.sound_tracks:
        source.at_sample = facts.sound_tracks[min(source.sound_track, len(facts.sound_tracks) - 1)].start_samples
    source.reference_samples = _time_of_day(facts, source.programme.frame_rate)


def _time_of_day(facts: Probe, rate_name: str) -> int | None:
    if facts.time_reference_samples is not None and facts.time_reference_rate_hz:
        at = facts.time_reference_samples * RATE_HZ // facts.time_reference_rate_hz
        return at if 0 < at < _DAY_SAMPLES else None
    if facts.start_tc:
        is_drop = ";" in facts.start_tc and rate_name in ("29.97", "59.94")
        with contextlib.suppress(RangeError):
            return samples_from_timecode(facts.start_tc, f"{rate_name}df" if is_drop else rate_name)
    return None


def _find(source: Source, progress: Progress) -> None:
    recording = stored_source(source.sha256, source.ready_n_channels)
    evidence = gather(recording, lambda share: progress(0.8 + 0.15 * share))
    excerpt = _Excerpt(recording)
    energy = np.zeros(0) if excerpt.is_part else stored_total_energy(conformed_folder(source.sha256))
    speech = speech_spans(excerpt, energy)
    if not source.role:
        share = speech_share(speech, excerpt.length_samples)
        guess = guess_role(source.name, evidence, share, is_film=source.has_picture)
        source.role = guess.role.value
        source.role_reasons = [list(reason) for reason in guess.reasons]
    source.is_listened = not excerpt.is_part
    if excerpt.is_part:
        # A first answer at once, from energy alone; the model's follows when the whole was heard.
        whole = stored_total_energy(conformed_folder(source.sha256))
        first = spans_from_probabilities(energy_probability(whole), RATE_HZ // 100, source.ready_length_samples)
        source.speech = [[span.start_sample, span.length_samples, span.confidence] for span in first]
    _store_findings(source, evidence, None if excerpt.is_part else speech, recording)


def _store_findings(
    source: Source, evidence: Evidence, speech: list[SpeechSpan] | None, recording: SampleSource
) -> None:
    assert source.rate_hz is not None
    found = findings_of(evidence, speech, recording, source.coding, source.rate_hz)
    source.findings = [finding_data(finding) for finding in found]
    if speech is not None:
        source.speech = [[span.start_sample, span.length_samples, span.confidence] for span in speech]
        levels = speech_to_noise(evidence, speech)
        source.noise = {"speech_dbfs": round(levels[0], 1), "floor_dbfs": round(levels[1], 1)} if levels else {}


class _Excerpt:
    """A minute of a long recording in six pieces, or the whole of a short one; implements SampleSource."""

    def __init__(self, recording: SampleSource) -> None:
        self._recording = recording
        self.key = f"{recording.key} excerpt"
        self.layout = recording.layout
        self.is_part = recording.length_samples > _EXCERPT_SAMPLES * _N_EXCERPTS
        self.length_samples = _EXCERPT_SAMPLES * _N_EXCERPTS if self.is_part else recording.length_samples
        if self.is_part:
            starts = np.linspace(0, recording.length_samples - _EXCERPT_SAMPLES, _N_EXCERPTS).astype(int)
            pieces = [recording.read(int(start), _EXCERPT_SAMPLES) for start in starts]
            self._audio: Audio = np.concatenate(pieces)

    def read(self, start_sample: int, length_samples: int) -> Audio:
        if not self.is_part:
            return self._recording.read(start_sample, length_samples)
        return self._audio[start_sample : start_sample + length_samples]
