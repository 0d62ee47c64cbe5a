"""Stretches of recordings, heard before they are laid."""

import json
from dataclasses import dataclass

import numpy as np

from recitant_core.errors import NotThere
from recitant_core.measure.running import LEAD_SAMPLES
from recitant_core.ports import SampleSource
from recitant_core.units.channels import STEREO
from recitant_web.listening.blocks import block_readings, wav_float
from recitant_web.programme.models import Source, SourceState
from recitant_web.programme.queries import stored_source


@dataclass(frozen=True)
class SourceBlock:
    """A stretch of a recording as WAV, and what the meters show along it, as JSON."""

    wav: bytes
    readings_json: str


def source_block(source: Source, start_sample: int, length_samples: int) -> SourceBlock:
    """A stretch of a recording as two loudspeakers give it; silence after its end.

    Raises:
        NotThere: it is not ready.
    """
    if source.state != SourceState.READY:
        raise NotThere()
    return recording_block(stored_source(source.sha256, source.ready_n_channels), start_sample, length_samples)


def recording_block(recording: SampleSource, start_sample: int, length_samples: int) -> SourceBlock:
    """A stretch of anything that can be read, as two loudspeakers give it; silence after its end."""
    begin = max(0, start_sample - LEAD_SAMPLES)
    end = min(recording.length_samples, start_sample + length_samples)
    audio = STEREO.silence(LEAD_SAMPLES + length_samples).astype(np.float32)
    if end > begin:
        at = begin - (start_sample - LEAD_SAMPLES)
        heard = recording.read(begin, end - begin) @ recording.layout.stereo_matrix().astype(np.float32)
        audio[at : at + end - begin] = heard
    return SourceBlock(
        wav_float(audio[LEAD_SAMPLES:]), json.dumps(block_readings(audio, STEREO), separators=(",", ":"))
    )
