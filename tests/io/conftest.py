"""Files that the tests of this folder share."""

import numpy as np
import pytest
import soundfile

from signals import programme, sine


@pytest.fixture(scope="session")
def stems(tmp_path_factory):
    """A folder with three stems and a plan over them: mono FLAC at 44.1 kHz, 24 bit stereo, 16 bit mono."""
    folder = tmp_path_factory.mktemp("stems")
    soundfile.write(folder / "voice.flac", programme(1, 8.0, 1), 44_100, "PCM_16")
    soundfile.write(folder / "score.wav", programme(2, 10.0) * np.float32(2), 48_000, "PCM_24")
    soundfile.write(folder / "bangs.wav", sine(-12, 1.0, n_channels=1), 48_000, "PCM_16")
    (folder / "plan.json").write_text(
        """{"plan": 1, "title": "Stems", "frame_rate": "25", "tracks": [
        {"name": "Voice", "role": "dialogue", "gain_db": 0, "clips": [
            {"file": "voice.flac", "at_s": 0.5, "in_s": 0.0, "length_s": null, "gain_db": 0, "fade_in_s": 0.1,
             "fade_out_s": 0}]},
        {"name": "Score", "role": "music", "gain_db": -6, "clips": [{"file": "score.wav", "at_s": 0.0}]},
        {"name": "Bangs", "role": "effects", "clips": [{"file": "bangs.wav", "at_s": 4.0, "length_s": 0.5}]}]}"""
    )
    return folder
