"""Makes the sounds of the effects library in a folder: python demo/library.py FOLDER. Deterministic."""

import json
import sys
from pathlib import Path

import numpy as np
import soundfile

import synthesis as syn
from synthesis import RATE_HZ, Audio


def _shaped(audio: Audio, points: list[tuple[float, float]]) -> Audio:
    """The audio under a gain that runs through (share of its length, factor)."""
    at = np.linspace(0, 1, len(audio))
    return (audio * np.interp(at, *zip(*points, strict=True))[:, None]).astype(np.float32)


def whoosh(seconds: float, seed: int) -> Audio:
    """Air that passes by, left to right."""
    bed = syn.noise_bed(seconds, seed, [(200, 1_200, 0.2), (1_200, 6_000, 0.12)], 0.2)
    swell = _shaped(bed, [(0, 0), (0.45, 1), (0.6, 0.7), (1, 0)])
    side = np.linspace(0.15, 0.85, len(bed))
    return (swell * np.stack([1 - side, side], axis=1) * 1.6).astype(np.float32)


def steps(seed: int, n: int) -> Audio:
    """Boots on stone."""
    rng = np.random.default_rng(seed)
    out = syn.silence(n * 0.56 + 0.4)
    for index in range(n):
        t = np.arange(7_000) / RATE_HZ
        heel = np.sin(2 * np.pi * rng.uniform(85, 105) * t) * np.exp(-t / 0.03)
        grit = syn.band(rng.standard_normal((7_000, 1)), 900, 4_500)[:, 0] * np.exp(-t / 0.025) * 0.5
        step = np.repeat((heel + grit)[:, None] * rng.uniform(0.2, 0.3), 2, axis=1).astype(np.float32)
        syn.add(out, 0.05 + index * 0.56 + rng.uniform(-0.02, 0.02), step)
    return syn.room(out, 0.8, 0.2, seed)


def drips(seed: int, seconds: float) -> Audio:
    """Water that drips in a hall."""
    rng = np.random.default_rng(seed)
    out = syn.silence(seconds)
    for at_s in np.sort(rng.uniform(0.2, seconds - 1.2, round(seconds))):
        t = np.arange(6_000) / RATE_HZ
        drop = np.sin(2 * np.pi * (rng.uniform(900, 1_500) * t + 900 * t**2)) * np.exp(-t / 0.02) * 0.2
        syn.add(out, float(at_s), np.repeat(drop[:, None], 2, axis=1).astype(np.float32))
    return syn.room(out, 2.2, 0.45, seed)


def door(seed: int) -> Audio:
    """A heavy door that falls shut."""
    rng = np.random.default_rng(seed)
    t = np.arange(30_000) / RATE_HZ
    thud = sum(
        level * np.sin(2 * np.pi * f * t) * np.exp(-t / d)
        for f, level, d in ((58, 1, 0.16), (91, 0.6, 0.1), (240, 0.3, 0.05))
    )
    latch = syn.band(rng.standard_normal((30_000, 1)), 1_500, 6_000)[:, 0] * np.exp(-t / 0.012) * 0.6
    both = np.repeat((thud + latch)[:, None] * 0.4, 2, axis=1).astype(np.float32)
    return syn.room(both, 1.1, 0.25, seed)


def spark(seed: int, seconds: float) -> Audio:
    """Sparks that crackle."""
    rng = np.random.default_rng(seed)
    out = syn.silence(seconds)
    for at_s in rng.uniform(0, seconds - 0.1, round(seconds * 22)):
        pop = (
            rng.standard_normal((500, 2))
            * np.exp(-np.arange(500) / rng.uniform(15, 70))[:, None]
            * rng.uniform(0.03, 0.25)
        )
        syn.add(out, float(at_s), pop.astype(np.float32))
    return out


def sounds() -> list[tuple[str, str, str, Audio]]:
    """Name, tags, role and audio of every sound."""
    fire = syn.noise_bed(15, 77, [(35, 160, 0.3), (160, 900, 0.1)], 0.3)
    hall = syn.noise_bed(15, 79, [(45, 220, 0.03), (220, 1_400, 0.01)], 0.1)
    wind = [(60, 300, 0.2), (300, 900, 0.1), (900, 2_500, 0.02)]
    return [
        ("Hammer on iron, hard", "hammer metal hit impact short", "effects", syn.hammer(21)),
        ("Hammer on iron, light", "hammer metal hit tap short", "effects", syn.hammer(22, 0.15) * np.float32(0.5)),
        ("Bell, one strike", "bell strike tower long", "effects", syn.bell(12)),
        ("Small bell, one strike", "bell strike shop high", "effects", syn.bell(6, 587.3)),
        ("Chain hoist", "chain metal machine load", "effects", syn.chains(4)),
        ("Steam release", "steam hiss valve air", "effects", syn.steam(5)),
        ("Metal pour", "pour metal liquid roar", "effects", syn.pour(10)),
        ("Whoosh, slow", "whoosh air pass transition", "effects", whoosh(1.6, 71)),
        ("Whoosh, quick", "whoosh air pass transition short", "effects", whoosh(0.6, 72)),
        ("Boots on stone, six steps", "steps footsteps boots walk stone", "effects", steps(73, 6)),
        ("Heavy door shuts", "door shut wood impact", "effects", door(74)),
        ("Sparks", "spark crackle fire electric", "effects", spark(75, 4)),
        ("Drips in a hall", "water drip hall cave", "atmosphere", drips(76, 12)),
        (
            "Furnace, steady",
            "furnace fire roar heat",
            "atmosphere",
            fire,
        ),
        ("Wind, steady", "wind air outside weather", "atmosphere", syn.noise_bed(20, 78, wind, 0.6)),
        (
            "Room tone, large hall",
            "room tone hall quiet air",
            "atmosphere",
            hall,
        ),
    ]


def main() -> None:
    """Write every sound and the list of them into the folder that is named."""
    folder = Path(sys.argv[1])
    folder.mkdir(parents=True, exist_ok=True)
    listed = []
    for index, (name, tags, role, audio) in enumerate(sounds()):
        file = f"{index:02d}.flac"
        soundfile.write(folder / file, np.clip(audio, -1, 1), RATE_HZ, "PCM_16")
        listed.append({"file": file, "name": name, "tags": tags, "role": role})
    (folder / "library.json").write_text(json.dumps(listed, indent=1))


if __name__ == "__main__":
    main()
