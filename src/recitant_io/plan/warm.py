"""Compiles every kernel once, so that nobody waits for it later; the compiled code is cached on disk."""

from dataclasses import replace
from typing import Final

import numpy as np

from recitant_core.delivery.fitting.fit import fit
from recitant_core.delivery.fitting.trial import MixInMemory, render_once, written_segments
from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.intake.evidence import gather
from recitant_core.measure.clearance import momentary_power
from recitant_core.measure.meter import measure
from recitant_core.measure.waveform import extremes
from recitant_core.processors.model import Processor
from recitant_core.timeline.model import Clip, Master, Plan, Track
from recitant_core.units.arrays import Audio
from recitant_core.units.channels import LAYOUTS, MONO, STEREO, ChannelLayout
from recitant_core.units.remembered import prints_of_stretches
from recitant_core.units.roles import Role

_CHAIN: Final = (
    Processor("high-pass"),
    Processor("equaliser").with_values(band1_shape="bell", band1_gain_db=3.0, band2_shape="notch"),
    Processor("gate").with_values(threshold_dbfs=-60.0),
    Processor("compressor"),
    Processor("de-esser"),
)


class _Tone:
    def __init__(self, layout: ChannelLayout, is_writeable: bool) -> None:
        self.key = f"{layout.name} {is_writeable}"
        self.layout = layout
        self.length_samples = 48_000
        tone = np.sin(np.arange(self.length_samples) * 0.1).astype(np.float32)
        self._audio: Audio = np.repeat(tone[:, None], layout.n_channels, axis=1)
        self._audio.flags.writeable = is_writeable  # a mapped file is read-only, which is a type of its own

    def read(self, start_sample: int, length_samples: int) -> Audio:
        return self._audio[start_sample : start_sample + length_samples]


def warm_kernels() -> None:
    """Run a second of tone through everything that is compiled."""
    tones = [_Tone(layout, is_writeable) for layout in (MONO, STEREO) for is_writeable in (False, True)]
    sources = {tone.key: tone for tone in tones}
    for source in sources.values():
        audio = source.read(0, 48_000)
        measure(audio, LAYOUTS[source.layout.n_channels])
        extremes(audio, 256)
        gather(source)
    clips = {
        name: Clip(name, name, 100, 0, 40_000, 12.0, fade_in_samples=100, fade_out_samples=100) for name in sources
    }
    tracks = tuple(Track(name, name, Role.DIALOGUE, 0.0, 0.0, (clip,)) for name, clip in clips.items())
    plan = Plan("warm", "25", tracks, {}, Master(6.0, -3.0))
    for _ in written_segments(plan, sources, 16):
        pass
    # One track goes through its chain alone, several side by side: two widths of the same loops.
    for acting in (tracks[:1], tracks):
        chained = replace(plan, tracks=tuple(replace(track, chain=_CHAIN) for track in acting))
        for _ in written_segments(chained, sources, 24):
            pass
    momentary_power(np.zeros(100))
    prints_of_stretches(np.zeros(100), [slice(0, 100)])
    fit(plan, render_once(plan, sources, MixInMemory()), spec_by_id("online-14"))
