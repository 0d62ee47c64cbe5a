"""Makes the demo's recordings and plans in a folder: python demo/build.py FOLDER. Deterministic.

The recordings carry the faults of real ones; each is named beside where it is made.
"""

import json
import sys
from pathlib import Path

import numpy as np
import soundfile
import soxr

import synthesis as syn
from synthesis import RATE_HZ, Audio

VOICES = Path(__file__).parent / "voices"
FILM_S = 185.0
SPOT_S = 30.0


def voice(name: str) -> Audio:
    """A take at 48 kHz, mono float32 (frames, 1), with the breath of a small room around it."""
    take, rate_hz = soundfile.read(VOICES / f"{name}.flac", dtype="float32")
    take = soxr.resample(take, rate_hz, RATE_HZ)
    rng = np.random.default_rng(sum(map(ord, name)))
    padded = np.concatenate([np.zeros(9_600), take, np.zeros(14_400)])
    hiss = rng.standard_normal(len(padded)) * 10 ** (-66 / 20)
    return (padded + hiss).astype(np.float32)[:, None]


def one_sided_with_slate(take: Audio) -> Audio:
    """Fault: recorded on the left channel only, with the slate clap 9 dB over everything still at its head."""
    slate = np.zeros((2 * RATE_HZ, 1), np.float32)
    n = 4_000
    clap = np.random.default_rng(5).standard_normal(n) * np.exp(-np.arange(n) / 400)
    slate[RATE_HZ : RATE_HZ + n, 0] = np.clip(clap * 0.6, -0.98, 0.98)
    left = np.concatenate([slate, take * 0.4])
    return np.concatenate([left, np.zeros_like(left)], axis=1)


def with_hum(take: Audio) -> Audio:
    """Fault: mains hum at 50 Hz and its multiples."""
    t = np.arange(len(take))[:, None] / RATE_HZ
    hum = sum(
        level * np.sin(2 * np.pi * f * t) for f, level in ((50, 0.006), (100, 0.004), (150, 0.003), (250, 0.0015))
    )
    return (take * 0.8 + hum).astype(np.float32)


def clipped(take: Audio) -> Audio:
    """Fault: a shout 8 dB too hot for its recorder."""
    return np.clip(take * 2.5, -0.97, 0.97).astype(np.float32)


def write(folder: Path, name: str, audio: Audio, rate_hz: int = RATE_HZ, subtype: str = "PCM_24") -> str:
    """Write a WAV file; its name comes back."""
    soundfile.write(folder / f"{name}.wav", np.clip(audio, -1, 1), rate_hz, subtype)
    return f"{name}.wav"


def clip(file: str, at_s: float, gain_db: float = 0.0, **more: float | str) -> dict[str, object]:
    """A clip of a plan, with a short fade at both ends unless told otherwise."""
    return {"file": file, "at_s": at_s, "gain_db": gain_db, "fade_in_s": 0.02, "fade_out_s": 0.05, **more}


def track(
    name: str, role: str, clips: list[dict[str, object]], gain_db: float = 0.0, pan: float = 0.0
) -> dict[str, object]:
    """A track of a plan."""
    return {"name": name, "role": role, "gain_db": gain_db, "pan": pan, "clips": clips}


BRASS = [
    ("brass", c, 6.0, f, m)
    for c, f, m in (
        ("Dm", 0.25, None),
        ("Bb", 0.3, None),
        ("F", 0.32, 69),
        ("C", 0.34, 67),
        ("Gm", 0.34, 70),
        ("Dm", 0.34, 69),
        ("A", 0.38, 64),
        ("Dm", 0.4, 65),
        ("Bb", 0.45, 70),
        ("F", 0.48, 72),
        ("C", 0.52, 72),
        ("Gm", 0.56, 74),
        ("Dm", 0.62, 77),
        ("Bb", 0.7, 77),
        ("F", 0.78, 81),
        ("C", 0.85, 79),
        ("A", 0.9, 81),
    )
]
STRINGS = [
    ("strings", c, s, f, m)
    for c, s, f, m in (
        ("Dm", 8.0, 0.35, None),
        ("Bb", 8.0, 0.3, None),
        ("Gm", 8.0, 0.3, 62),
        ("A", 8.0, 0.34, 64),
        ("Dm", 8.0, 0.36, 65),
        ("Bb", 8.0, 0.42, 70),
        ("F", 8.0, 0.46, 72),
        ("C", 8.0, 0.5, 67),
        ("D", 12.0, 0.6, 66),
        ("D", 12.0, 0.45, 62),
        ("D", 14.0, 0.3, None),
    )
]


def film(folder: Path) -> dict[str, object]:
    """The three-minute film."""
    floor = write(folder, "Foundry floor", syn.foundry_floor(FILM_S + 2))
    tracks = [
        *film_dialogue(folder),
        film_score(folder),
        *film_effects(folder),
        track("Room", "atmosphere", [clip(floor, 0.0, 0.0, fade_in_s=2.0, fade_out_s=4.0, length_s=FILM_S)]),
    ]
    return {"plan": 1, "title": "Casting the Tenor", "frame_rate": "25", "spec": "ebu-r128", "tracks": tracks}


def film_dialogue(folder: Path) -> list[dict[str, object]]:
    """Narrator, founder and apprentice, with the faults of their takes."""
    narration = [write(folder, f"Narration {i:02d}", voice(f"narration-{i:02d}")) for i in range(1, 7)]
    founder = [
        write(folder, "Founder take 3", one_sided_with_slate(voice("founder-01"))),
        write(folder, "Founder take 5", with_hum(voice("founder-02"))),
        write(folder, "Shout at the ladle", clipped(voice("founder-03"))),
        # Fault: a DC offset of 4 % of full scale.
        write(folder, "Founder take 8", voice("founder-04") * 0.8 + np.float32(0.04)),
    ]
    second = voice("apprentice-02")
    second = soxr.resample(second[:, 0], RATE_HZ, 44_100)[:, None].astype(np.float32)
    apprentice = [
        # Fault: 7 dB too low.
        write(folder, "Apprentice 1", voice("apprentice-01") * np.float32(10 ** (-7 / 20))),
        # Fault: at 44.1 kHz.
        write(folder, "Apprentice 2", second, 44_100, "PCM_16"),
        write(folder, "Apprentice 3", voice("apprentice-03")),
    ]
    return [
        track(
            "Narrator",
            "narration",
            [clip(f, at) for f, at in zip(narration, (5.0, 19.5, 47.5, 91.0, 114.0, 153.5), strict=True)],
            -2.0,
        ),
        track(
            "Founder",
            "dialogue",
            [
                clip(founder[0], 28.5, 4.0, in_s=2.0),
                clip(founder[1], 61.0),
                clip(founder[2], 80.5),
                clip(founder[3], 125.0),
            ],
            -2.0,
        ),
        track(
            "Apprentice",
            "dialogue",
            [clip(f, at) for f, at in zip(apprentice, (38.5, 69.5, 140.5), strict=True)],
            -2.0,
            pan=0.12,
        ),
    ]


def film_score(folder: Path) -> dict[str, object]:
    """The music."""
    # Fault: both pieces 6 dB hotter than they need be, the second 20 s longer than the film.
    music = [
        write(folder, "Slow brass", syn.score(BRASS, 1) * np.float32(1.5)),
        write(folder, "Strings, coda", syn.score(STRINGS, 2) * np.float32(1.6)),
    ]
    return track(
        "Score",
        "music",
        [
            clip(music[0], 0.0, fade_in_s=1.5, fade_out_s=4.0, length_s=104.0),
            clip(music[1], 104.0, fade_in_s=3.0, fade_out_s=6.0, length_s=FILM_S - 104.0),
        ],
        -10.0,
    )


def film_effects(folder: Path) -> list[dict[str, object]]:
    """Strikes and heat."""
    hammers = write(
        folder, "Hammer, close", np.concatenate([syn.hammer(i)[: round(1.15 * RATE_HZ)] for i in (1, 2, 3, 4)])
    )
    taps = write(
        folder, "Hammer, testing", np.concatenate([syn.hammer(i, 0.2)[: round(1.6 * RATE_HZ)] for i in (7, 8)])
    )
    furnace = write(folder, "Furnace", syn.furnace(34))
    hoist = write(folder, "Chain hoist", syn.chains(5))
    pouring = write(folder, "The pour", syn.pour(22))
    steam = write(folder, "Steam", syn.steam(8))
    bell = write(folder, "Bell, first strike", syn.bell(24))
    return [
        track(
            "Strikes",
            "effects",
            [
                clip(hammers, 13.4),
                clip(hammers, 43.0, -4.0, length_s=3.4),
                clip(taps, 133.5, -3.0),
                clip(bell, 161.5, -1.0, fade_out_s=3.0, length_s=23.5),
            ],
            -4.0,
        ),
        track(
            "Heat",
            "effects",
            [
                clip(furnace, 45.0, -4.0, fade_in_s=3.0, fade_out_s=3.0),
                clip(hoist, 76.2, -2.0),
                clip(pouring, 84.8, 0.0, fade_out_s=2.0),
                clip(steam, 106.0, -2.0),
            ],
            -4.0,
        ),
    ]


def spot(folder: Path) -> dict[str, object]:
    """The short spot."""
    lines = [write(folder, f"Spot line {i}", voice(f"spot-{i:02d}")) for i in (1, 2, 3)]
    bars = [
        ("brass", c, 5.0, f, m)
        for c, f, m in (
            ("Dm", 0.45, None),
            ("Bb", 0.55, 70),
            ("Gm", 0.65, 74),
            ("A", 0.8, 76),
            ("D", 0.9, 74),
            ("D", 0.5, None),
        )
    ]
    music = write(folder, "Spot brass", syn.score(bars, 3) * np.float32(1.4))
    strike = write(folder, "Bell, spot", syn.bell(8))
    hits = write(folder, "Hammer, spot", np.concatenate([syn.hammer(i)[: round(0.9 * RATE_HZ)] for i in (1, 2, 3)]))
    tracks = [
        track("Narrator", "narration", [clip(f, at) for f, at in zip(lines, (1.5, 9.0, 21.0), strict=True)]),
        track("Score", "music", [clip(music, 0.0, fade_in_s=0.5, fade_out_s=3.0, length_s=SPOT_S)], -11.0),
        track(
            "Strikes",
            "effects",
            [clip(hits, 6.0, -3.0), clip(hits, 15.5, -1.0), clip(strike, 25.2, -3.0, fade_out_s=1.0, length_s=4.8)],
            -4.0,
        ),
    ]
    return {"plan": 1, "title": "Tenor, 30 seconds", "frame_rate": "25", "spec": "ebu-r128-s1", "tracks": tracks}


def main() -> None:
    """Write everything into the folder that is named."""
    folder = Path(sys.argv[1])
    folder.mkdir(parents=True, exist_ok=True)
    plans = {"casting-the-tenor": film(folder), "tenor-30-seconds": spot(folder)}
    for name, made in plans.items():
        (folder / f"{name}.json").write_text(json.dumps(made, indent=1))


if __name__ == "__main__":
    main()
