"""Labels of processors, of their values and of starting points."""

import re
from typing import Final

KIND_LABELS: Final = {
    "clicks": "Clicks and thumps",
    "hum": "Hum filter",
    "noise": "Noise reduction",
    "less-room": "Less room",
    "high-pass": "High-pass",
    "low-pass": "Low-pass",
    "equaliser": "Equaliser",
    "expander": "Expander",
    "gate": "Gate",
    "compressor": "Compressor",
    "three-band": "Three-band compressor",
    "de-esser": "De-esser",
    "limiter": "Limiter",
    "gain": "Gain",
    "polarity": "Polarity",
    "width": "Width and balance",
    "delay": "Delay",
    "reverb": "Room",
    "pitch": "Pitch",
}
STARTING_POINT_LABELS: Final = {
    "voice-close": "Voice, close: rumble out, evened, sharp s held",
    "voice-roomy": "Voice in a noisy room: noise lowered, boxiness out, pauses lowered",
    "voice-sharp": "Voice, too sharp: s and hiss held",
    "voice-boxy": "Voice, boxy: its resonances lowered",
    "rumble": "Rumble and pops out",
    "hum": "Hum out",
    "music-held": "Music, its loud parts held",
    "in-a-hall": "Placed in a hall",
}
# Of values whose label is not their name without its unit.
_LABELS: Final = {
    "freq_hz": "frequency",
    "longest_ms": "longest click",
    "range_db": "most reduction",
    "make_up_db": "make-up",
    "low_hz": "low to middle",
    "high_hz": "middle to high",
    "q": "Q",
    "side": "turned",
    "balance_db": "balance, left to right",
    "wet_db": "room level",
    "dry_db": "direct level",
    "distance_ms": "before the room answers",
    "semitones": "pitch",
}
_LABELS_BY_KIND: Final = {
    ("clicks", "over_db"): "stands out by",
    ("noise", "over_db"): "acts up to",
    ("less-room", "decay_s"): "decay time, 60 dB",
}
_BAND: Final = re.compile(r"(band)(\d)_(shape|\w+)")
_UNIT: Final = re.compile(r"_(dbfs|db_per_octave|db|hz|ms|percent)$")


def parameter_label(kind: str, name: str) -> str:
    """Label of a value of a kind of processor."""
    if (kind, name) in _LABELS_BY_KIND:
        return _LABELS_BY_KIND[kind, name]
    band = _BAND.fullmatch(name)
    if band is not None:
        return f"band {band[2]}" if band[3] == "shape" else parameter_label(kind, band[3])
    return _LABELS.get(name) or _UNIT.sub("", name).replace("_", " ")
