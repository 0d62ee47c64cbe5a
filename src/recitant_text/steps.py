"""Steps of the log in words: rows hold a code and facts, the sentence is made when it is shown."""

import string
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Final

from recitant_core.units.clock import RATE_HZ
from recitant_core.units.roles import Role
from recitant_text.chains import difference_text
from recitant_text.findings import remedy_text
from recitant_text.first_balance import TITLES
from recitant_text.first_balance import tone_words as tone_text
from recitant_text.laying import LAYING_WORDS
from recitant_text.sentences import counted, gain_text, signed

Facts = Mapping[str, Any]
MOST_LETTERS: Final = 200


@dataclass(frozen=True)
class Label:
    """A step of the log: its code, and the facts that its sentence needs. All of them are JSON."""

    code: str
    facts: Facts = field(default_factory=dict)

    @property
    def data(self) -> dict[str, Any]:
        """It as a row keeps it."""
        return {"code": self.code, **self.facts}


def label(code: str, **facts: Any) -> Label:
    """A label of a code and its facts."""
    return Label(code, facts)


def label_text(data: Facts) -> str:
    """Sentence of a step, from what its row keeps; at most MOST_LETTERS."""
    made = LABELS[data["code"]]
    facts = {name: value for name, value in data.items() if name != "code"}
    text = made(facts) if callable(made) else _FORMATTER.vformat(made, (), facts)
    return text[:MOST_LETTERS]


def _target(what: Facts) -> str:
    """Clip, track, stem or the master by its name; several by their number."""
    (kind, value), *_ = what.items()
    if kind == "master":
        return "Master"
    if kind == "stem":
        return f"{Role(value).label} stem"
    return counted(value, kind.removesuffix("s")) if isinstance(value, int) else str(value or f"a {kind}")


def _with_kind(what: Facts) -> str:
    (kind, _), *_ = what.items()
    return _target(what) if kind in ("master", "stem") else f"{_target(what)} {kind}"


def _ducked(what: Facts) -> str:
    (kind, value), *_ = what.items()
    return str(value) if kind == "stem" else _target(what)


_SPECS: Final[dict[str, Callable[[Any], str]]] = {
    "target": _target,
    "kind": _with_kind,
    "ducked": _ducked,
    "gain": gain_text,
    "signed": signed,
    "role": lambda role: Role(role).label.lower(),
    "s": lambda samples: f"{samples / RATE_HZ:.2f} s",
    "percent": lambda share: f"{100 * share:.0f} %",
    "laying": lambda how: LAYING_WORDS[how],
}


class _Formatter(string.Formatter):
    """Format specs of ours; "clip|clips" counts."""

    def format_field(self, value: Any, format_spec: str) -> str:
        if format_spec in _SPECS:
            return _SPECS[format_spec](value)
        if "|" in format_spec:
            return counted(value, *format_spec.split("|"))
        return str(format(value, format_spec))


_FORMATTER: Final = _Formatter()


def _on_tracks(facts: Facts) -> str:
    n = facts["n_tracks"]
    return " on all tracks" if n is None else " on one track" if n == 1 else f" on {n} tracks"


def _match(facts: Facts) -> str:
    to = f"the tone of {_target(facts['to'])}" if facts["to"] else "the middle of the speaker's takes"
    more = f": {tone_text(*facts['match'])}" if facts["match"] else ""
    return f"{_target(facts['what'])} to {to}{more}"


def _room_tone(facts: Facts) -> str:
    words = f"{facts['track']}: room tone under {counted(facts['n'], 'cut')}"
    if facts["n_more"]:
        words += f", {facts['n_more']} more with the next press"
    if facts["n_left"]:
        words += f"; {facts['n_left']} without a quiet stretch beside {'them' if facts['n_left'] != 1 else 'it'}"
    return words


def _ride(facts: Facts) -> str:
    done = {"set": "ride", "cleared": "ride cleared", "recorded": "ride recorded"}[facts["done"]]
    where = f", {'before' if facts['is_first'] else 'after'} the processors" if facts["has_points"] else ""
    return f"{_target(facts['what'])}: {done}{where}"


_PROGRAMME: Final = {
    "title": "title: {title}",
    "frame_rate": "{frame_rate} frames a second",
    "picture_offset_samples": "picture moved",
    "new_fades": "fades of new clips",
}
_TRACK: Final = {
    "name": "named",
    "role": "role",
    "height_px": "height",
    "shade": "colour",
    "pan": "pan",
    "is_mono": "mono or stereo",
}
_COVERED: Final = {
    "silence": "silenced",
    "close": "taken out, the gap closed",
    "room": "covered with room tone",
    "tone": "covered with a tone",
}
_MARKERS: Final = {"sync": "sync point", "note": "note", "chapter": "chapter"}


def _varied(facts: Facts) -> str:
    words = f"{facts['name']} at {100 * facts['speed']:g} % speed, {facts['semitones']:+g} semitones"
    return words.replace("-", "−").replace("+0 ", "0 ")


def _marker(facts: Facts) -> str:
    return str(facts["text"] or _MARKERS[facts["kind"]])


LABELS: Final[dict[str, str | Callable[[Facts], str]]] = {
    # As it was written by a release that kept sentences.
    "as-written": "{text}",
    "tracks-laid-out": "{n} tracks laid out",
    "brought-in": "{name} brought in",
    "microphones-brought-in": "{name} brought in, {n:microphone|microphones}",
    "recorded": "{name} recorded",
    "pile-brought-in": "{n:file|files} brought in, {how:laying}",
    "ducking-followed": "ducking followed the speech in {name}",
    "returned": "returned to “{name}”",
    "took-back": lambda facts: f"took back: {label_text(facts['step'])}",
    "first-balance": lambda facts: f"first balance: {TITLES[facts['step']].lower()}",
    # Arranging.
    "out-of-mix": "{what:target} out of the mix",
    "in-mix": "{what:target} in the mix",
    "to-track": "{what:target} to track {track}",
    "sounds-to": "{n:sound|sounds} to {role:role}",
    "merged": "{n:track|tracks} merged into {track}",
    "empty-tracks-removed": "{n:empty track|empty tracks} removed",
    "laid": lambda facts: (
        f"{counted(facts['n'], 'clip')} laid {LAYING_WORDS[facts['how']]}"
        + (f"; {counted(facts['n_tied'], 'clip')} stayed with the picture" if facts["n_tied"] else "")
    ),
    "gap-closed": lambda facts: f"gap of {_SPECS['s'](facts['length_samples'])} closed{_on_tracks(facts)}",
    "taken-out": lambda facts: f"{_SPECS['s'](facts['length_samples'])} taken out{_on_tracks(facts)}",
    "gap-opened": lambda facts: f"gap of {_SPECS['s'](facts['length_samples'])} opened{_on_tracks(facts)}",
    # Captions.
    "captions-from-words": "{n} captions made from the words",
    "captions-from-file": "{n} captions from {file}",
    "caption-changed": "caption at {at} changed",
    "caption-added": "caption at {at}",
    "captions-removed": "{n:caption|captions} removed",
    "caption-split": "caption at {at} split",
    "caption-joined": "caption at {at} joined with the next",
    "captions-put-right": "{n} captions put right",
    "captions-of-sounds": "{n} sounds named in captions",
    "caption-rules": "rules of the captions",
    # Processors and rides.
    "chain": lambda facts: f"{_target(facts['what'])}: {difference_text(facts['difference'])}",
    "ride": _ride,
    # Clips.
    "moved": "moved {n:clip|clips}",
    "placed": "moved {n:clip|clips} to {at}",
    "tied": "tied {what:target}",
    "untied": "untied {what:target}",
    "back-in-sync": "{what:target} back in sync",
    "trimmed-start": "trimmed the start of {what:target}",
    "trimmed-end": "trimmed the end of {what:target}",
    "slipped": "slipped {what:target}",
    "split": "split at {at}",
    "deleted": "deleted {n:clip|clips}",
    "deleted-and-closed": "deleted {n:clip|clips} and closed the gap",
    "pasted": "pasted {n:clip|clips}",
    "fade-in": "fade in of {what:target}",
    "fade-out": "fade out of {what:target}",
    "fades": "fades of {what:target}",
    "crossfade": "cross-fade of {what:target} and {with_what:target}: {shape}",
    "grouped": "grouped {n:clip|clips}",
    "grouped-as": "grouped {n:clip|clips} as {name}",
    "ungrouped": "ungrouped {n:clip|clips}",
    "named": "named {name}",
    "speaker": lambda facts: f"{_target(facts['what'])}: {facts['name'] or 'no'} speaker",
    "varied": _varied,
    # Cures of close passages.
    "clip-levelled": "{what:target} {by_db:gain} dB for clearance at {at}",
    "phrase-levelled": "{what:target} {by_db:gain} dB in its phrase at {at}",
    "dip-deepened": "{what:ducked} dips {by_db:signed} dB further at {at}",
    "room-made": "{what:ducked} makes room in the voice's range",
    "scene-lowered": "{role:role} {by_db:gain} dB in the scene at {at}",
    "passage-accepted": "close passage at {at} accepted",
    "passage-not-accepted": "close passage at {at} no longer accepted",
    # Ducking.
    "ducked": lambda facts: f"{_ducked(facts['what'])}{' stem' if 'stem' in facts['what'] else ''} gives way to speech",
    "no-longer-ducked": "{what:ducked} no longer gives way to speech",
    "ducked-as": "{what:ducked} dips as for {start}",
    "duck-rule": "ducking rule of {what:ducked}",
    "dip-drawn": "dip of {what:ducked} drawn to {gain_db:gain} dB",
    "duck-point-added": "point on the curve of {what:ducked}",
    "duck-point-removed": "point off the curve of {what:ducked}",
    "dip-released": "dip of {what:ducked} released",
    "stem-levels": "{role} in the open and under speech at {open_lufs:signed} and {under_lufs:signed} LUFS",
    "scene-trimmed": "{role:role} trimmed by {gain_db:gain} dB from {at}",
    # Gains.
    "levelled": "{by_db:gain} dB on {what:target}",
    "curve": "gain curve of {what:target}",
    "curve-cleared": "gain curve cleared from {what:target}",
    "point-moved": "point of {what:target} to {gain_db:gain} dB",
    "point-added": "point on the gain curve of {what:target}",
    "curve-drawn": "gain curve drawn on {what:target}",
    "curve-cleared-in": "gain curve cleared in {what:target}",
    "gains-set": "gain of {n:clip|clips} set",
    "evened-out": lambda facts: (
        f"{facts['n']} clips evened out to {facts['goal']:g} ".replace("-", "−")
        + ("dBFS peak" if facts["is_peak"] else "LUFS")
        + f", {100 * facts['strength']:.0f} %"
    ),
    "phrases-ridden": "{what:target}: curve over its phrases",
    "gain-set": "{what:kind} to {gain_db:gain} dB",
    "programme-gain": "programme gain to {gain_db:gain} dB",
    "tone-matched": _match,
    # Markers and the programme.
    "marker-added": lambda facts: f"{_MARKERS[facts['kind']]} at {facts['at']}",
    "marker-changed": lambda facts: f"marker {_marker(facts)} changed",
    "marker-removed": lambda facts: f"marker {_marker(facts)} removed",
    "chapters": "{n} chapters",
    "specification": "deliver to {name}",
    "programme": lambda facts: ", ".join(_PROGRAMME[name].format(**facts["set"]) for name in facts["set"]),
    "meter-zones": "zones of the meters",
    "picture-locked": "picture locked",
    "picture-unlocked": "picture unlocked",
    # Recordings.
    "mended": lambda facts: (
        f"{_recordings(facts)}: not “{remedy_text(facts['remedy'])}”"
        if facts["is_undone"]
        else f"{_recordings(facts)}: {remedy_text(facts['remedy'])}"
    ),
    "recording-laid": "laid {name}",
    "cut-to-length": "{what:target} cut to length",
    "looped": "{what:target} looped at a join that is {similarity:percent} alike",
    "gap-covered": "gap covered with room tone of {what:target}",
    "room-tone-under-cuts": _room_tone,
    "speech-marked": "speech marked in {what:target}",
    "no-speech-marked": "no speech marked in {what:target}",
    "clearance-asked": "{asked_lu:g} LU of clearance asked for",
    # Takes.
    "takes-held": "{n:clip|clips} held as takes of {what:target}",
    "take-held": "{take:target} held as a take of {what:target}",
    "take-chosen": "take {number} of {n}: {name}",
    "microphone-chosen": "{name} in {n:clip|clips}",
    "take-dropped": "take {name} dropped",
    "takes-apart": "takes of {what:target} laid side by side",
    "takes-matched": "takes of {what:target} matched in loudness",
    # Tracks.
    "role": lambda facts: (
        _recordings(facts)
        + (f" and {facts['n_alike']} of like names" if facts["n_alike"] else "")
        + f": {facts['role']}"
    ),
    "track-added": "track {name} added",
    "track-set": lambda facts: f"track {facts['name']}: {', '.join(_TRACK[one] for one in facts['set'])}",
    "track-heights": "heights of the tracks",
    "track-moved": "track {name} moved",
    "track-removed": "track {name} removed",
    # Words.
    "words-typed": "words: “{text}”",
    "words-left-out": "words left out of the text",
    "words-back": "words in the text again",
    "words-of": "words of {name}",
    "person-named": "{name} is {now}",
    "script-fitted": "text fitted: {n} places, {n_same} words alike",
    "words-cut": lambda facts: (
        f"{_SPECS['s'](facts['length_samples'])} of words {_COVERED[facts['how']]}"
        + (f"; {facts['n_skipped']} places skipped" if facts["n_skipped"] else "")
    ),
    "track-a-person": "{n:person|people} on tracks of their own",
}
"""Sentence of each code: a template with the specs above, or a function of the facts."""


def _recordings(facts: Facts) -> str:
    return str(facts["name"]) if facts["n"] == 1 else f"{facts['n']} recordings"
