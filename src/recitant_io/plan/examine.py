"""Everything intake learns of one file, without a server: what is wrong with it, what it is, where someone speaks."""

import tempfile
from dataclasses import dataclass
from pathlib import Path

from recitant_core.intake.checks import findings_of
from recitant_core.intake.evidence import gather
from recitant_core.intake.findings import Finding
from recitant_core.intake.piece_levels import speech_to_noise
from recitant_core.intake.roles import RoleGuess, guess_role
from recitant_core.ports import Progress, no_progress
from recitant_core.speech.activity import SpeechSpan, speech_share
from recitant_io.hearing.speech import speech_spans
from recitant_io.media.confined import probe
from recitant_io.media.probe import Probe
from recitant_io.media.storage import storage_errors
from recitant_io.store.conform import Conformed, StoredSource, conform, stored_total_energy

_CONFORM_SHARE, _SPEECH_SHARE = 0.4, 0.6  # of the time, roughly


@dataclass(frozen=True)
class Examined:
    """Result of examining a file."""

    conformed: Conformed
    probe: Probe
    speech: list[SpeechSpan]
    findings: list[Finding]
    guess: RoleGuess
    speech_dbfs: float | None
    floor_dbfs: float | None


def examine_file(path: Path, progress: Progress = no_progress) -> Examined:
    """Read a file once, look for faults and listen for speech.

    Raises:
        UnreadableMedia, UnsupportedLayout: see open_media. StorageFull: no room for the working copy.
    """
    with storage_errors(), tempfile.TemporaryDirectory(prefix="recitant-") as scratch:
        folder = Path(scratch) / "conformed"
        conformed = conform(path, folder, lambda share: progress(_CONFORM_SHARE * share))
        recording = StoredSource(folder / "audio.f32", path.name, conformed.n_channels)
        speech = speech_spans(
            recording, stored_total_energy(folder), lambda share: progress(_CONFORM_SHARE + _SPEECH_SHARE * share)
        )
        evidence = gather(recording)
        findings = findings_of(evidence, speech, recording, conformed.coding, conformed.rate_hz)
        levels = speech_to_noise(evidence, speech)
        probed = probe(path)
        share = speech_share(speech, conformed.length_samples)
        guess = guess_role(path.name, evidence, share, is_film=probed.picture is not None)
    speech_dbfs, floor_dbfs = levels if levels is not None else (None, None)
    return Examined(conformed, probed, speech, findings, guess, speech_dbfs, floor_dbfs)
