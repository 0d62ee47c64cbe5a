"""What a specification asks for, in words."""

from recitant_core.delivery.specification.form import Channels, Leader
from recitant_core.delivery.specification.model import Anchor, Spec
from recitant_text.sentences import signed

_CHANNEL_WORDS = {Channels.MONO: "mono", Channels.TWO_MONO: "two mono files"}


def limit_words(spec: Spec) -> str:
    """Its loudness in one line.

    >>> from recitant_core.delivery.specification.catalogue import spec_by_id
    >>> limit_words(spec_by_id("ebu-r128"))
    '−23.0 ±0.5 LUFS, −1.0 dBTP'
    """
    target = spec.mono_target_lufs if spec.form.channels is Channels.MONO else None
    words = [f"{signed(spec.target_lufs if target is None else target)} ±{spec.tolerance_lu:g} LUFS"]
    if spec.anchor is Anchor.DIALOGUE:
        words[0] += " over dialogue"
    words.append(f"{signed(spec.max_true_peak_dbtp)} dBTP")
    return ", ".join([*words, *_further(spec)])


def _further(spec: Spec) -> list[str]:
    found = []
    for label, value, unit in (
        ("3 s", spec.max_short_term_lufs, "LUFS"),
        ("0.4 s", spec.max_momentary_lufs, "LUFS"),
        ("range", spec.max_range_lu, "LU"),
    ):
        if value is not None:
            found.append(f"{label} at most {signed(value)} {unit}")
    if spec.least_clearance_lu is not None:
        found.append(f"speech {signed(spec.least_clearance_lu)} LU clear")
    return found


def form_words(spec: Spec) -> str:
    """Words on where its files differ from stereo WAV of 24 bit at 48 kHz; empty where they do not."""
    form, words = spec.form, []
    if form.container != "wav":
        words.append(form.container.upper())
    if spec.bit_depth != 24:
        words.append(f"{spec.bit_depth} bit")
    if form.rate_hz != 48_000:
        words.append(f"{form.rate_hz / 1_000:g} kHz")
    if form.channels in _CHANNEL_WORDS:
        words.append(_CHANNEL_WORDS[form.channels])
    if form.leader_s:
        kind = f"tone at {signed(form.tone_dbfs, 0)} dBFS" if form.leader is Leader.TONE else "silence"
        words.append(f"{form.leader_s:g} s of {kind} before")
    if form.tail_s:
        words.append(f"{form.tail_s:g} s of silence behind")
    if form.start_timecode:
        words.append(f"from {form.start_timecode}")
    if form.language != "und":
        words.append(form.language)
    return ", ".join(words)
