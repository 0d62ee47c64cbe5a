"""Labels of a specification's fields as they are typed, what stands beside them, and their headings."""

from typing import Final

FIELD_LABELS: Final = {
    "name": "Name",
    "source": "Where the figures come from",
    "note": "Note",
    "anchor": "Measured over",
    "target_lufs": "Target",
    "tolerance_lu": "Tolerance ±",
    "mono_target_lufs": "Target in mono",
    "max_true_peak_dbtp": "Highest true peak",
    "max_short_term_lufs": "Loudest 3 s",
    "max_momentary_lufs": "Loudest 0.4 s",
    "max_range_lu": "Widest range",
    "least_clearance_lu": "Least clearance of speech",
    "bit_depth": "Bit depth",
    "container": "Container",
    "rate_hz": "Rate",
    "channels": "Channels",
    "leader": "Leader",
    "leader_s": "Length of the leader",
    "tone_dbfs": "Level of the tone",
    "tail_s": "Silence behind",
    "start_timecode": "Programme starts at",
    "names": "File names",
    "language": "Language",
    "files": "Files",
}
FIELD_HELP: Final = {
    "mono_target_lufs": "the same, if empty",
    "max_short_term_lufs": "no limit, if empty",
    "max_momentary_lufs": "no limit, if empty",
    "max_range_lu": "reported, if empty",
    "least_clearance_lu": "reported, if empty",
    "start_timecode": "timecode behind the leader, such as 10:00:00:00",
    "names": "of {title} {version} {spec} {role} {lang} {date} {rate}; role and specification, if empty",
    "language": "three letters, such as deu",
    "files": "asked for at first, such as mix,stems,m-and-e,mp3:128",
}
FIELD_CHOICES: Final = {
    "anchor": {"programme": "the whole programme", "dialogue": "its dialogue"},
    "channels": {"as-mixed": "stereo", "mono": "mono, folded down", "two-mono": "two mono files"},
    "leader": {"silence": "silence", "tone": "tone of 1 kHz"},
}
FIELD_GROUPS: Final = (
    ("What it is called", ("name", "source", "note")),
    ("Loudness", ("anchor", "target_lufs", "tolerance_lu", "mono_target_lufs", "max_true_peak_dbtp")),
    ("Limits", ("max_short_term_lufs", "max_momentary_lufs", "max_range_lu", "least_clearance_lu")),
    ("Uncompressed files", ("container", "bit_depth", "rate_hz", "channels")),
    ("Before and behind", ("leader", "leader_s", "tone_dbfs", "tail_s", "start_timecode")),
    ("Names and files", ("names", "language", "files")),
)
"""Headings, each with the fields under it."""
SPEC_CHOICE_LABEL: Final = "Deliver to"
"""Of the list of specifications beside a new programme."""
