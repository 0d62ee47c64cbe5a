"""Words of the first balance: its steps, what they measured, what they changed and why; and how a balance stands."""

from collections.abc import Mapping, Sequence
from typing import Any, Final

from recitant_core.balance.carried import SPEECH, UNSPOKEN
from recitant_core.balance.first_balance_values import FirstBalance, Step
from recitant_core.balance.plausibility import Doubt
from recitant_core.units.clock import RATE_HZ
from recitant_text.findings import REMEDY_WORDS
from recitant_text.sentences import clock_text, counted, gain_text, percent, signed

_MOSTLY_CLEAR: Final = 0.7
"""Share of speech with the clearance asked for, under which that is the first thing to say."""
TITLES: Final = {
    "mend": "Mend what intake found",
    "clean": "Clean the speech",
    "match": "Match the tone of takes",
    "even-out": "Even out the dialogue",
    "stems": "Place the stems",
    "duck": "Keep the rest under speech",
    "check": "Check the clearance",
    "fit": "Turn the programme to its number",
}
WHY: Final = {
    "mend": "Faults are mended before levels are set; only remedies that can do no harm are applied.",
    "clean": "Noise that is heard between words comes up with them, so it is lowered first: lightly, by 8 dB at most, "
    "since more sounds hollow. On Level you can hear what is taken away.",
    "match": "Takes of one speaker are brought to the middle of their tones, so that cuts are not heard: by an "
    "equaliser of 6 dB a band at most, and less room where a take was farther away. On Level you can change both.",
    "even-out": "Speech is the anchor of the mix. What was recorded lower or higher is brought together; a phrase that "
    "was spoken louder or softer keeps part of the difference. The gain moves between sounds only, and noise that "
    "would come up holds a phrase back.",
    "stems": "Each stem has a level in the open. What comes in well placed is left, nothing is raised by more than "
    "6 dB, and scenes that lie apart are trimmed slowly.",
    "duck": "One depth for each run of talk, between the level in the open and the one under speech: music first, "
    "effects where they mask, while atmosphere stays even.",
    "check": "The stems were rendered and speech measured against all the rest, moment by moment. Nothing is forced: "
    "what is close is listed with what would cure it.",
    "fit": "One gain turns the whole programme, so that the balance stays as it is.",
}
_ALL_CLEAR: Final = 0.995
_TOLD_SHARE: Final = 0.1
_CARRIERS: Final = {UNSPOKEN: "what is not speech on the narration and dialogue tracks"}


_DOUBTS: Final = {
    "all-excluded": ("Every clip is excluded from the mix.", "arrange", "Open Arrange"),
    "no-speech": (
        "No speech was found on the narration and dialogue tracks ({names}). Check what these files are.",
        "intake",
        "Open Intake",
    ),
    "many-voices": (
        "{share:.0f} % of the speech has three or more voices at the same time. Lay the clips out one after another.",
        "arrange",
        "Lay out again",
    ),
    "doubled": ("{names} carry the same voice at the same time.", "exclude", "Exclude {first}"),
    "same-moment": ("{names} are recordings of the same moment.", "exclude", "Exclude {first}"),
    "outside-picture": ("These clips lie outside the picture: {names}.", "arrange", "Open Arrange"),
}
"""By code of a doubt: sentence, what the press does, and its label."""


def doubt_data(doubt: Doubt) -> dict[str, Any]:
    """A doubt as JSON data: its words, and the press that helps."""
    _, press, label = _DOUBTS[doubt.code]
    return {
        "code": doubt.code,
        "words": _doubt_words(doubt.code, doubt.share, doubt.names),
        "press": press,
        "label": label.format(**_doubt_facts(doubt.share, doubt.names)),
        "clip_ids": list(doubt.clip_ids),
    }


def _doubt_words(code: str, share: float, names: Sequence[str]) -> str:
    return _DOUBTS[code][0].format(**_doubt_facts(share, names))


def _doubt_facts(share: float, names: Sequence[str]) -> dict[str, Any]:
    return {"names": " and ".join(names), "share": 100.0 * share, "first": names[0] if names else ""}


def balanced_facts(done: FirstBalance, doubt: Doubt | None) -> dict[str, Any]:
    """Facts of the headline of a first balance that ended, as JSON data.

    Args:
        doubt: the worst one about the programme as it lies there; None where there is none.
    """
    check = next((step.measured for step in done.steps if step.code == "check"), {})
    fit = next((step.measured for step in done.steps if step.code == "fit"), {})
    off_lu = float(fit["dialogue_lufs"]) - float(fit["target_lufs"]) if fit.get("is_dialogue_far") else None
    return {
        "n_close": int(check.get("close", len(done.left))),
        "clear_share": check.get("clear_share", done.judgement.clear_share),
        "dialogue_off_lu": off_lu,
        "doubt": None if doubt is None else {"code": doubt.code, "share": doubt.share, "names": list(doubt.names)},
    }


def balanced_text(facts: Mapping[str, Any]) -> str:
    """Headline of a first balance that ended, from balanced_facts: the worst of what is true."""
    n_close, share, off_lu, doubt = (facts[name] for name in ("n_close", "clear_share", "dialogue_off_lu", "doubt"))
    review = f"{counted(n_close, 'close passage')} to review."
    if doubt is not None:
        return f"Balanced, but check the programme: {_doubt_words(**doubt)}"
    if share is not None and share < _MOSTLY_CLEAR:
        return f"Speech is clear for only {100.0 * share:.0f} % of its time; {review}"
    if off_lu is not None:
        return f"Balanced, but dialogue is {abs(off_lu):.1f} LU {'under' if off_lu < 0 else 'over'} the target."
    if n_close:
        return f"Balanced. {review}"
    if share is None:
        return "Balanced. There is no speech in it."
    is_clear = share >= _ALL_CLEAR
    return "Balanced. Speech is clear everywhere." if is_clear else "Balanced. No passage of speech is too close."


def step_facts(step: Step) -> dict[str, Any]:
    """A step of the first balance as a row keeps it, as JSON data; step_shown makes its words."""
    return {"step": step.code, "measured": step.measured, "changes": list(step.changes)}


def step_shown(facts: Mapping[str, Any]) -> dict[str, Any]:
    """A step of the first balance with its words, as JSON data, from step_facts."""
    code, changes = facts["step"], facts["changes"]
    return {
        **facts,
        "title": TITLES[code],
        "measured_words": _MEASURED[code](facts["measured"]),
        "changes": [{k: v for k, v in change.items() if k != "chain"} for change in changes],
        "changed_words": [_change(change) for change in changes],
        "acts": [_acts(change) for change in changes],
        "offers": [_offer(change) for change in changes if change["what"] == "short"],
        "why": WHY[code],
    }


def _mended(m: dict[str, Any]) -> str:
    return f"{counted(m['findings'], 'finding')} of intake looked at."


def _noisy(m: dict[str, Any]) -> str:
    n, of = m["noisy"], m["recordings"]
    if not n:
        return "No noise that is worth lowering."
    return (
        "Noise can be heard behind the speech."
        if of == 1
        else f"Noise can be heard in {n} of {of} recordings of speech."
    )


def _toned(m: dict[str, Any]) -> str:
    if not m["takes"]:
        return "No speaker has two takes with two seconds of speech each."
    words = f"Takes of one speaker differ by up to {m['spread_db']:g} dB in a part of the spectrum."
    n = m["kept"]
    return words + (f" {counted(n, 'take')} with an equaliser or less room of its own stays as it is." if n else "")


def _ducked(m: dict[str, Any]) -> str:
    words = f"{counted(m['close_before'], 'passage')} with less clearance than asked for before."
    return words + (" Music leads here: it goes down for the words and comes back." if m["leads"] == "music" else "")


def _evened(m: dict[str, Any]) -> str:
    if not m["clips"]:
        return "No clip of dialogue that can be measured."
    is_one = m["quietest_lufs"] == m["loudest_lufs"]
    levels = (
        f"at {signed(m['loudest_lufs'])}" if is_one else f"{signed(m['quietest_lufs'])} to {signed(m['loudest_lufs'])}"
    )
    words = f"{counted(m['clips'], 'clip')} with {counted(m['phrases'], 'phrase')}, {levels} LUFS; the aim is "
    words += f"{signed(m['aim_lufs'])}."
    if m.get("performed"):
        n = m["performed"]
        whose = "stands out; part of the difference stays" if n == 1 else "stand out; part of the difference stays"
        words += f" {counted(n, 'phrase')} {whose}."
    if m.get("other_sounds"):
        n = m["other_sounds"]
        which = "is not speech; it ends" if n == 1 else "are not speech; they end"
        words += f" {counted(n, 'sound')} {which} no louder than the words."
    if m["held_by_noise"]:
        words += f" {counted(m['held_by_noise'], 'phrase')} held back by the noise behind."
    return words


def _placed(m: dict[str, Any]) -> str:
    if m["leads"] == "nothing":
        return "Nobody speaks here, so the stems keep their levels against each other."
    found = [
        f"{name.removesuffix('_lufs')} {signed(level)} LUFS" for name, level in m.items() if name.endswith("_lufs")
    ]
    words = "In the open: " + ", ".join(found) + "." if found else "No stem but dialogue."
    if m["leads"] == "music":
        words += " Music leads: its level is the programme's own, and what is spoken was brought to it."
    return words


def _checked(m: dict[str, Any]) -> str:
    words = "Nobody speaks."
    if m["clear_share"] is not None:
        words = f"Speech stands {m['asked_lu']:g} LU clear for {percent(m['clear_share'])} of its time."
    if m["close"]:
        words += f" {counted(m['close'], 'passage')} closer, at the least {signed(m['least_lu'])} LU."
    if m["accepted"]:
        words += f" {counted(m['accepted'], 'passage')} close on purpose."
    return words


def _turned(m: dict[str, Any]) -> str:
    if m["before_lufs"] is None:
        return "The mix is silent or too short to measure."
    words = (
        f"{signed(m['before_lufs'])} LUFS before, {signed(m['reached_lufs'])} now; "
        f"the target is {signed(m['target_lufs'])}."
    )
    if m["is_dialogue_far"]:
        away = m["dialogue_lufs"] - m["target_lufs"]
        side = "over" if away > 0.0 else "under"
        words += f" Dialogue then lies {abs(away):.1f} LU {side} the target: {_carried(m, is_over=away > 0.0)}."
    return words


def _carried(m: dict[str, Any], *, is_over: bool) -> str:
    shares = m["carried"]
    if is_over:
        speech, time = percent(shares.get(SPEECH, 0.0)), percent(m["speech_time_share"])
        return f"{speech} of the loudness comes from speech, which fills {time} of the time that counts"
    others = sorted(((share, name) for name, share in shares.items() if name != SPEECH), reverse=True)
    told = [(share, name) for share, name in others if share >= _TOLD_SHARE] or others[:1]
    if not told:
        return "speech was found only where it is quiet"
    parts = [
        f"{percent(share)} {'from' if index else 'comes from'} {_CARRIERS.get(name, name)}"
        for index, (share, name) in enumerate(told)
    ]
    return f"of the loudness, {_all_of(parts)}"


def _all_of(parts: list[str]) -> str:
    return parts[0] if len(parts) == 1 else f"{', '.join(parts[:-1])} and {parts[-1]}"


_KEPT_WORDS: Final = {
    "gain": "{name}: gain kept as you set it",
    "curve": "{name}: curve kept as you drew it",
    "fader": "{name} stem: fader kept as you set it",
    "scene": "{name}: scenes kept as you set them",
    "pinned": "{name}: pinned points kept",
    "rule": "{name}: your own rule kept",
}


def _change(change: dict[str, Any]) -> str:
    name = str(change["name"])
    if "remedy" in change:
        return f"{name}: {REMEDY_WORDS[change['remedy']].format(gain_change_db='')}".strip()
    if change["what"] in _OF_CLIPS:
        return _OF_CLIPS[change["what"]](change)  # a clip is called as somebody called it
    match change["what"]:
        case "kept":
            words = _KEPT_WORDS[change["why"]].format(name=name)
        case "stem":
            words = f"{name} stem {gain_text(change['from_db'])} to {gain_text(change['to_db'])} dB"
        case "trim":
            words = f"{name}: trimmed by {gain_text(change['by_db'])} dB from {clock_text(change['at_sample'])}"
        case "short":
            they = "they usually sit" if name == "effects" else "it usually sits"
            lies = "lie" if name == "effects" else "lies"
            words = f"{name} {lies} {signed(change['lies_lu'])} LU under where {they}; raised by "
            words += f"{change['raised_db']:g}. Raise more?"
        case "programme":
            words = f"programme gain {gain_text(change['from_db'])} to {gain_text(change['to_db'])} dB"
        case _:
            words = _dipped(change)
    return words[:1].upper() + words[1:]


def _wordless(change: dict[str, Any]) -> str:
    moved = f"{gain_text(change['by_db'])} dB, with the clips around it" if change["by_db"] else "left as it came"
    return f"{change['name']}: no speech found in it; {moved}"


def _clip_moved(change: dict[str, Any]) -> str:
    levels = f"{signed(change['from_lufs'])} to {signed(change['to_lufs'])} LUFS"
    words = f"{change['name']} {gain_text(change['by_db'])} dB ({levels})"
    if "phrases" in change:
        low, high = gain_text(change["lowest_db"]), gain_text(change["highest_db"])
        words += f", with a curve over {counted(change['phrases'], 'phrase')} from {low} to {high} dB"
    return words


def _cleaned(change: dict[str, Any]) -> str:
    parts = ["a high-pass"]
    if change["mains_hz"]:
        parts.append(f"a hum filter at {change['mains_hz']:.0f} Hz")
    if change["amount_db"]:
        parts.append(f"{change['amount_db']:g} dB of noise reduction")
    made = "cleaned with" if change["is_done"] else "could be cleaned with"
    return f"{change['name']}: noise {change['distance_db']:.0f} dB under the speech; {made} {_all_of(parts)}"


def tone_words(most_db: float, at_hz: float, room_db: float) -> str:
    """The largest move of the equaliser that matched the tone of a take, and how much less room; see ToneMatch."""
    parts = []
    if most_db:
        parts.append(f"{gain_text(most_db)} dB around {_hz(at_hz)}")
    if room_db:
        parts.append(f"up to {room_db:g} dB less room")
    return _all_of(parts)


def _matched(change: dict[str, Any]) -> str:
    return f"{change['name']}: {tone_words(change['most_db'], change['at_hz'], change['room_db'])}"


def _hz(freq_hz: float) -> str:
    return f"{freq_hz / 1000:g} kHz" if freq_hz >= 1000.0 else f"{freq_hz:.0f} Hz"


def _performed(change: dict[str, Any]) -> str:
    away, ends = change["away_lu"], change["ends_lu"]
    side, to = ("over", "under")[away < 0.0], ("over", "under")[ends < 0.0]
    words = f"{change['name']} at {clock_text(change['at_sample'])}: {abs(away):.1f} LU {side} the phrases around it, "
    words += f"ends {abs(ends):.1f} LU {to} the aim"
    return words + ("; held back by the noise behind it" if change["is_held"] else "")


def _other_sound(change: dict[str, Any]) -> str:
    seconds = change["length_samples"] / RATE_HZ
    words = f"{change['name']} at {clock_text(change['at_sample'])}: {seconds:.1f} s of sound that is not speech, "
    return words + f"{signed(change['from_lufs'])} to {signed(change['to_lufs'])} LUFS"


def _acts(change: dict[str, Any]) -> list[dict[str, Any]]:
    """Presses beside a change: their words and the edit that each posts."""
    if change["what"] == "clean" and not change["is_done"]:
        edit = {"kind": "chain", "target": "clip", "ids": change["clip_ids"], "chain": change["chain"]}
        return [{"words": "Clean it", "edit": edit}]
    if change["what"] != "performance":
        return []
    place = {"id": change["clip_id"], "start_sample": change["at_sample"], "length_samples": change["length_samples"]}
    ways = (("Leave as recorded", "as_recorded_db"), ("Bring nearer", "nearer_db"))
    return [{"words": words, "edit": {"kind": "phrase", **place, "gain_db": change[name]}} for words, name in ways]


def _offer(change: dict[str, Any]) -> dict[str, Any]:
    """Offer that a person may want: a stem raised by what a first balance left undone."""
    by_db = gain_text(change["short_db"])
    words = f"Raise {change['name']} by {by_db} dB more"
    return {"role": change["role"], "by_db": change["short_db"], "words": words}


def _dipped(change: dict[str, Any]) -> str:
    name = str(change["name"])
    if change["dips"]:
        deep, shallow = signed(change["deepest_db"]), signed(change["shallowest_db"])
        words = f"{name}: {counted(change['dips'], 'dip')}, {deep} dB" + (
            f" to {shallow} dB" if deep != shallow else ""
        )
    else:
        words = f"{name}: stays even" if change["is_even"] else f"{name}: no dip needed"
    if change.get("room_db"):
        words += f"; up to {-change['room_db']:g} dB less from 1 to 4 kHz under speech"
    return words


_MEASURED: Final = {
    "mend": _mended,
    "clean": _noisy,
    "match": _toned,
    "even-out": _evened,
    "stems": _placed,
    "duck": _ducked,
    "check": _checked,
    "fit": _turned,
}
_OF_CLIPS: Final = {
    "clip": _clip_moved,
    "clean": _cleaned,
    "tone": _matched,
    "performance": _performed,
    "sound": _other_sound,
    "wordless": _wordless,
}
