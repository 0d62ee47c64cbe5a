"""What a user reads for a finding of intake and its remedies. Plain words: what is wrong, by how much, what helps."""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Final

from recitant_core.intake.findings import Finding, Remedy

_TITLES: Final = {
    "one-channel-silent": "Only on one side",
    "one-channel-low": "One side far lower",
    "reversed-polarity": "Reverse polarity",
    "side-reversed": "A side turned over",
    "mono-in-stereo": "Mono in stereo",
    "two-microphones": "Two microphones",
    "dc-offset": "DC offset",
    "clipped": "Clipped",
    "dropouts": "Dropouts",
    "clicks": "Clicks",
    "over-full-scale": "Over full scale",
    "sides-shifted": "Sides a moment apart",
    "test-tone": "A test tone",
    "sweep": "A sweep",
    "outlier": "One loud outlier",
    "hum": "Mains hum",
    "noisy": "Noisy",
    "noise-heard": "Noise heard in pauses",
    "very-low": "Very low",
    "silent": "Silent",
    "silent-ends": "Silence at the ends",
    "short": "Too short to measure",
    "other-rate": "Other sample rate",
    "lossy": "Lossy source",
}
_SENTENCES: Final = {
    "one-channel-silent": "All of it is on the {stronger} ({left_dbfs} dBFS left, {right_dbfs} dBFS right).",
    "one-channel-low": "The {stronger} channel is {difference_db} dB louder than the other.",
    "reversed-polarity": (
        "The two channels pull against each other (correlation {correlation}); in mono much of it disappears."
    ),
    "side-reversed": (
        "The lows of the two channels pull against each other (correlation {low_correlation} under 250 Hz): one side "
        "seems to be turned over, and in mono the lows disappear."
    ),
    "mono-in-stereo": "Both channels hold the same sound (correlation {correlation}).",
    "two-microphones": (
        "Each channel hears the same voice through a microphone of its own, {lag_ms} ms apart (speech to noise "
        "{left_snr_db} dB left, {right_snr_db} dB right). Choose one: the {clearer} is clearer."
    ),
    "dc-offset": (
        "The signal stands {percent} % of full scale beside zero ({dbfs} dBFS): less headroom, clicks at cuts."
    ),
    "clipped": (
        "Flat at {ceiling_dbfs} dBFS in {n_places} place(s), {n_runs} times, first at {first_s} s. Lowering it will "
        "not mend it; another take will."
    ),
    "dropouts": (
        "{n_places} hole(s) of up to {longest_ms} ms, the first at {first_s} s. Cover them with room tone, or take "
        "another take."
    ),
    "clicks": (
        "{n_places} click(s), the first at {first_s} s. Clicks and thumps, a processor on Level, takes them out."
    ),
    "over-full-scale": (
        "Peaks of {peak_dbfs} dBFS in {n_places} place(s): a float file keeps them, what it is turned into clips. "
        "Nothing is lost yet."
    ),
    "sides-shifted": (
        "The {later} side comes {lag_ms} ms after the other: added up to mono, some of it cancels. Use one of them."
    ),
    "test-tone": "One tone of {tone_hz} Hz at {peak_dbfs} dBFS, all the way.",
    "sweep": "A tone that moves between about {low_hz} and {high_hz} Hz at {peak_dbfs} dBFS.",
    "outlier": "One event at {at_s} s stands {above_db} dB over all else ({peak_dbfs} dBFS), so peaks say little.",
    "hum": "Steady hum of {mains_hz} Hz and multiples, {dbfs} dBFS together.",
    "noisy": "The speech stands only {snr_db} dB over its noise floor of {floor_dbfs} dBFS.",
    "noise-heard": "The noise floor of {floor_dbfs} dBFS lies {snr_db} dB under the speech. You hear it in pauses.",
    "very-low": "Its level is {level_dbfs} dBFS, its highest peak {peak_dbfs} dBFS. Raising it raises its noise.",
    "silent": "Nothing sounds in it.",
    "silent-ends": "{head_s} s of silence at its head, {tail_s} s at its tail.",
    "short": "It is {length_ms} ms long. Loudness needs 400 ms, so its level is taken over the whole file.",
    "other-rate": "Recorded at {rate_hz} Hz; it is read at 48000 Hz.",
    "lossy": "Stored as {coding}: what was left out then is gone, and another encoding takes more.",
}
REMEDY_WORDS: Final = {
    "use-one-channel": "Use the louder side",
    "use-first": "Use the left one",
    "use-second": "Use the right one",
    "reverse-second": "Turn the right side over",
    "join-channels": "Treat as mono",
    "remove-dc": "Take the offset off",
    "trim-outlier": "Trim it off",
    "leave-out": "Leave it out of levels",
    "trim-silence": "Trim the silence",
    "raise": "Raise by {gain_change_db} dB",
    "lower": "Lower to −1 dBFS ({gain_change_db} dB)",
    "use-earlier": "Use the earlier side",
}
_REASONS: Final = {
    "speech": "{figure} % of it is speech",
    "continuous": "it sounds without a pause for {figure} s",
    "tonal": "what sounds is notes",
    "noisy": "what sounds is noise, not notes",
    "events": "it comes and goes",
    "short": "it is short ({figure} s)",
    "name": "its name says “{figure}”",
    "sounds": "though it sounds like {figure}",
    "film": "it is a film’s sound, and {figure} % of it is speech",
}


def finding_data(finding: Finding) -> dict[str, Any]:
    """A finding as a row keeps it, as JSON data: its code, figures, places and remedies."""
    return {
        "code": finding.code,
        "severity": finding.severity.value,
        "facts": finding.facts,
        "places": [[place.start_sample, place.length_samples] for place in finding.places],
        "remedies": [remedy_data(remedy) for remedy in finding.remedies],
    }


def finding_shown(data: Mapping[str, Any]) -> dict[str, Any]:
    """A finding with its words, from finding_data."""
    # A row of a release that kept no facts holds its sentence.
    sentence = data.get("sentence") or _SENTENCES[data["code"]].format(**_readable(data["facts"]))
    return {
        **data,
        "title": _TITLES[data["code"]],
        "sentence": sentence,
        "remedies": [remedy | {"words": remedy_text(remedy)} for remedy in data["remedies"]],
    }


def remedy_text(data: Mapping[str, Any]) -> str:
    """Words of a remedy's button, from remedy_data."""
    return REMEDY_WORDS[data["code"]].format(**_readable(data))


def remedy_data(remedy: Remedy) -> dict[str, Any]:
    """A remedy as a row keeps it, as JSON data: the settings of a clip that it changes."""
    data: dict[str, Any] = {"code": remedy.code, "is_safe": remedy.is_safe}
    if remedy.routing is not None:
        data["routing"] = remedy.routing.value
    for name in ("reversed_channels", "dc_offset"):
        value = getattr(remedy, name)
        if value is not None:
            data[name] = list(value)
    if remedy.gain_change_db is not None:
        data["gain_change_db"] = remedy.gain_change_db
    if remedy.keep is not None:
        data["keep"] = [remedy.keep.start_sample, remedy.keep.length_samples]
    if remedy.left_out is not None:
        data["left_out"] = [[span.start_sample, span.length_samples] for span in remedy.left_out]
    return data


def role_reasons(reasons: Iterable[Sequence[str]]) -> list[str]:
    """Reasons why a recording is taken for its role, in words.

    Args:
        reasons: code and figure of each; as words alone in rows of a release that kept those.
    """
    return [one if isinstance(one, str) else _REASONS[one[0]].format(figure=one[1]) for one in reasons]


def _readable(facts: Mapping[str, Any]) -> dict[str, str]:
    return {
        name: str(value).replace("-", "−") if isinstance(value, int | float) else str(value)
        for name, value in facts.items()
    }
