"""Levels of the clips of a plan, from the energies of their recordings.

Held to: tests/core/test_clip_level.py
"""

from dataclasses import dataclass, replace

from recitant_core.measure.clearance import speech_mask
from recitant_core.measure.clip_level import ClipLevel, clip_level
from recitant_core.measure.other_sounds import OtherSound, other_sounds
from recitant_core.measure.phrases import Phrase, phrases
from recitant_core.render.estimate import clip_energy
from recitant_core.timeline.model import Clip, Track
from recitant_core.timeline.speech import SpeechOfSources, speech_of_clip
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import SampleSpan


def level_of_clip(
    clip: Clip, track: Track, gain_db: float, source_energy: FloatArray, speech: SpeechOfSources
) -> ClipLevel:
    """Levels of a clip with its own gain, fades and curve, and a gain more.

    Args:
        gain_db: of its track and stem together, in dB.
        source_energy: 10 ms energies of its whole recording, float64 (hops,), see estimate.clip_energy.
        speech: of every recording; it counts on dialogue tracks alone.
    """
    # Measured without its gains and raised by them: a change of gain never moves a gate.
    _, energy = clip_energy(replace(clip, gain_db=0.0), track, 0.0, source_energy)
    spoken = speech_of_clip(clip, speech) if track.role.is_speech else []
    spans = [SampleSpan(one.start_sample - clip.start_sample, one.length_samples) for one in spoken]
    left_out = [SampleSpan(span.start_sample - clip.in_sample, span.length_samples) for span in clip.left_out]
    return clip_level(energy, speech_mask(spans, len(energy)), left_out).raised(clip.gain_db + gain_db)


@dataclass(frozen=True)
class Heard:
    """Phrases and other sounds in a clip of a narration or dialogue track, on the clip's clock."""

    phrases: list[Phrase]
    others: list[OtherSound]
    """Sounds that are not speech."""


def heard_in_clip(
    clip: Clip, track: Track, gain_db: float, source_energy: FloatArray, speech: SpeechOfSources
) -> Heard:
    """Phrases of a clip and its other sounds, at the levels they have with its gains and a gain more; without fades.

    Args:
        gain_db: of its track and stem together, in dB.
        source_energy: 10 ms energies of its whole recording, float64 (hops,).
    """
    bare = replace(clip, gain_db=0.0, fade_in_samples=0, fade_out_samples=0)
    _, energy = clip_energy(bare, track, 0.0, source_energy)
    spans = [
        SampleSpan(one.start_sample - clip.start_sample, one.length_samples) for one in speech_of_clip(clip, speech)
    ]
    left_out = [SampleSpan(span.start_sample - clip.in_sample, span.length_samples) for span in clip.left_out]
    found = phrases(energy, spans, left_out)
    by = clip.gain_db + gain_db
    return Heard(
        [
            replace(p, level_lufs=p.level_lufs + by, noise_lufs=None if p.noise_lufs is None else p.noise_lufs + by)
            for p in found
        ],
        [replace(o, level_lufs=o.level_lufs + by) for o in other_sounds(energy, spans, found, left_out)],
    )
