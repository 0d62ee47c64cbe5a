"""Words of close passages, of the level path and of ducking that was remade."""

import math
from collections.abc import Mapping, Sequence
from typing import Any, Final

from recitant_core.balance.closeness import Cure, Diagnosis
from recitant_core.gain.duck_rule import DUCK_PRESETS
from recitant_core.gain.ducking import CurveChange, Dip
from recitant_core.measure.clearance import ClosePassage
from recitant_core.units.clock import RATE_HZ
from recitant_text.sentences import counted, signed

_CAUSES: Final = {
    "music": "the music",
    "effects": "the effects",
    "dialogue": "the dialogue under the narration",
    "atmosphere": "the atmosphere",
}
_IN_THE_WAY: Final = {
    "floor": "The loudest of them dips as deep as its rule lets it; lower its scene, or accept the passage.",
    "frozen": "The curve of the loudest of them is frozen; let it follow again.",
    "live-key": "The loudest of them gives way by a live key; a lower threshold or a higher ratio would help.",
    "several": "Several sounds share the blame, so no single one is enough.",
}


def diagnosis_data(found: Diagnosis) -> dict[str, Any]:
    """A close passage as JSON data: times in samples, levels in LU, its words and its cures."""
    return {
        "start_sample": found.passage.span.start_sample,
        "length_samples": found.passage.span.length_samples,
        "least_lu": round(found.passage.least_lu, 1),
        "cause": found.cause,
        "title": _title(found),
        "sentence": _sentence(found),
        "cures": [cure_data(cure) for cure in found.cures],
    }


def cure_data(cure: Cure) -> dict[str, Any]:
    """A remedy of a close passage as JSON data, with the words of its button."""
    return {
        "code": cure.code,
        "by_db": cure.by_db,
        "target_id": cure.target_id,
        "cures": cure.cures,
        "words": _cure_words(cure),
    }


_PATH: Final = {
    "edges": "beyond the clip's edge",
    "repair": "offset taken off",
    "routing": "routing and pan",
    "clip-gain": "clip gain",
    "fade": "fade",
    "curve": "clip curve",
    "track-fader": "track fader",
    "track-duck": "track gives way",
    "track-room": "track makes room",
    "stem-fader": "stem fader",
    "clip-chain": "clip's processors",
    "track-chain": "track's processors",
    "track-ride": "track ride",
    "stem-chain": "stem's processors",
    "stem-ride": "stem ride",
    "master-chain": "master's processors",
    "stem-duck": "stem gives way",
    "stem-room": "stem makes room",
    "master-gain": "fit, gain",
    "limiter": "fit, limiter",
    "stem-trim": "stem's trim",
    "programme-gain": "programme gain",
    "out-of-mix": "out of the mix",
    "silent-out-of-mix": "It is out of the mix: kept in the programme, in no file.",
    "silent-outside": "The playhead is not in this clip.",
    "silent-recording": "The recording itself is silent here.",
    "silent-edges": "Only what lies beyond the clip's edge sounds here.",
    "silent-repair": "Nothing but an offset is recorded here.",
    "silent-routing": "Its routing leaves out the channel that sounds here.",
    "silent-clip-gain": "Its clip gain takes it down out of hearing.",
    "silent-fade": "Its fade is closed here.",
    "silent-curve": "Its gain curve takes it down out of hearing here.",
    "silent-track-fader": "The track fader takes it down out of hearing.",
    "silent-track-duck": "The track gives way so far here that it is not heard.",
    "silent-track-room": "The track makes so much room here that it is not heard.",
    "silent-stem-fader": "The stem fader takes it down out of hearing.",
    "silent-clip-chain": "The clip's processors take it down out of hearing.",
    "silent-track-chain": "The track's processors take it down out of hearing: a gate, perhaps.",
    "silent-track-ride": "The ride of its track takes it down out of hearing here.",
    "silent-stem-chain": "The stem's processors take it down out of hearing: a gate, perhaps.",
    "silent-stem-ride": "The ride of its stem takes it down out of hearing here.",
    "silent-master-chain": "The master's processors take it down out of hearing.",
    "silent-stem-duck": "The stem gives way so far here that it is not heard.",
    "silent-stem-room": "The stem makes so much room here that it is not heard.",
    "silent-stem-trim": "The trim of its stem takes it down out of hearing here.",
    "silent-programme-gain": "The programme gain takes it down out of hearing.",
    "silent-master-gain": "The fit takes it down out of hearing.",
    "silent-limiter": "The limiter takes it down out of hearing.",
}


def path_words(code: str) -> str:
    """A line of the level path, or why nothing is heard."""
    return _PATH[code]


def dips_words(found: Sequence[Dip], travel_db: float, feel: str) -> str:
    """Line on a curve's dips.

    Args:
        travel_db: movement a minute.
        feel: calm, lively or restless.
    """
    if not found:
        return "no dip is needed"
    deepest = signed(min(dip.depth_db for dip in found))
    return f"{counted(len(found), 'dip')}, down to {deepest} dB; moves {signed(travel_db)} dB a minute, {feel}"


def followed_facts(changes: Sequence[CurveChange]) -> dict[str, int]:
    """Numbers of dips that were moved, made, removed and left as drawn; empty where nothing was remade."""
    facts = {
        name: sum(getattr(change, name) for change in changes) for name in ("n_moved", "n_new", "n_gone", "n_kept")
    }
    return facts if facts["n_moved"] or facts["n_new"] or facts["n_gone"] else {}


def followed_text(facts: Mapping[str, Any]) -> str:
    """Sentence on dips that were remade, from followed_facts; empty where none were."""
    if "text" in facts:
        return str(facts["text"])  # as a release that kept sentences wrote it
    parts: list[str] = []
    for name, word in (("n_moved", "moved"), ("n_new", "new"), ("n_gone", "gone")):
        n = facts.get(name, 0)
        if n:
            parts.append(f"{n} {word}" if parts else f"{counted(n, 'dip')} {word}")
    if not parts:
        return ""
    n_kept = facts["n_kept"]
    if n_kept:
        parts.append(f"{n_kept} kept as you drew {'it' if n_kept == 1 else 'them'}")
    return "Ducking followed: " + ", ".join(parts) + "."


def _title(found: Diagnosis) -> str:
    seconds = found.passage.span.length_samples / RATE_HZ
    if found.cause == "silent-speech":
        return f"{seconds:.1f} s of speech that is not heard"
    against = _CAUSES.get(found.cause, "the rest")
    return f"{seconds:.1f} s of speech too close to {against}"


def _sentence(found: Diagnosis) -> str:
    least = beside_rest(found.passage.least_lu)
    asked = f"{found.asked_lu:g}"
    words = f"At its closest speech is {least}; you asked for {asked} above it."
    if found.cause == "silent-speech":
        words = "Speech is marked here, but nothing of it reaches the mix."
    elif found.cause in ("clip-under-aim", "phrase-under-aim"):
        what = found.cause_name if found.cause == "clip-under-aim" else f"This phrase in {found.cause_name}"
        words += f" {what} sits {signed(found.cause_share)} LU under its aim: raise it before lowering anything else."
    else:
        words += f" {found.cause_name} makes {100 * found.cause_share:.0f} % of what stands against it."
    if found.stands_in_the_way:
        words += f" {signed(found.short_lu)} LU are missing. " + _IN_THE_WAY[found.stands_in_the_way]
    return words


def beside_rest(clearance_lu: float) -> str:
    """Words on a clearance: above the rest, or under it.

    >>> beside_rest(4.04), beside_rest(-24.7), beside_rest(-0.01)
    ('4.0 LU above the rest', '24.7 LU under the rest', '0.0 LU above the rest')
    """
    where = "under" if round(clearance_lu, 1) < 0.0 else "above"
    return f"{signed(abs(clearance_lu))} LU {where} the rest"


def cause_words(found: Diagnosis) -> str:
    """Sentence on the cause of a close passage: how clear speech stands, and what stands against it."""
    if found.cause == "silent-speech":
        return "Speech is marked here, but nothing of it reaches the mix."
    words = f"Speech stands {beside_rest(found.passage.least_lu)} here"
    if found.cause in ("clip-under-aim", "phrase-under-aim"):
        return f"{words}; {found.cause_name} sits {signed(found.cause_share)} LU under its aim."
    return (
        f"{words}; {100 * found.cause_share:.0f} % of that is {found.cause_name}." if found.cause_name else f"{words}."
    )


_CURE_WORDS: Final = {
    "raise-clip": "Raise {name} by {by} dB",
    "raise-phrase": "Raise the phrase in {name} by {by} dB",
    "lower-clip": "Lower {name} by {by} dB",
    "make-room": "Make room for the voice in {name}",
    "trim-scene": "Lower the scene of the {name} by {by} dB",
    "add-duck": "Let the {name} give way to speech",
    "deepen": "Dip {name} {by} dB further here",
}


def _cure_words(cure: Cure) -> str:
    return _CURE_WORDS[cure.code].format(name=cure.name, by=signed(cure.by_db))


def plain_passage_data(passage: ClosePassage, asked_lu: float) -> dict[str, Any]:
    """A close passage that was not looked into."""
    least = beside_rest(passage.least_lu)
    return {
        "start_sample": passage.span.start_sample,
        "length_samples": passage.span.length_samples,
        "least_lu": round(passage.least_lu, 1),
        "cause": "",
        "title": f"{passage.span.length_samples / RATE_HZ:.1f} s of speech too close",
        "sentence": f"At its closest speech is {least}; you asked for {asked_lu:g} above it.",
        "cures": [],
    }


def checked_sentence(least_lu: float, asked_lu: float, *, is_left: bool) -> str:
    """Sentence on a passage after a remedy.

    Args:
        least_lu: clearance there now; inf where nobody speaks or nothing else sounds.
        is_left: whether a passage long enough to count is still too close.
    """
    if not math.isfinite(least_lu):
        return "Checked: nothing stands against speech there any more."
    if least_lu >= asked_lu - 0.05:
        return f"Checked: speech stands {signed(least_lu)} LU clear there now."
    if not is_left:
        return f"Checked: clear but for moments too short to count (the closest {signed(least_lu)} LU)."
    return f"Checked: {signed(least_lu)} LU there now, {signed(asked_lu - least_lu)} LU still missing."


def live_words(deepest_db: float) -> str:
    """Words on a live key."""
    return f"live key, down to {signed(deepest_db)} dB"


def starting_points_data() -> list[dict[str, str]]:
    """Rules to begin from, with their names."""
    return [{"name": name, "words": STARTING_POINT_WORDS[name]} for name in DUCK_PRESETS]


STARTING_POINT_WORDS: Final = {
    "talk-over-bed": "talk over a bed",
    "documentary": "documentary",
    "spot": "spot",
}
