"""Speech brought to its aim: a gain a clip, and inside recordings a curve that moves between sounds.

What is spoken is brought together and stays a performance; what sounds on these tracks and is not speech is never
raised over the words.
Held to: tests/io/test_first_balance.py, tests/io/test_first_balance_material.py, tests/io/test_ear.py
"""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import cache
from typing import Any, Final

import numpy as np

from recitant_core.balance.first_balance_values import Step
from recitant_core.balance.performance import NOTABLE_LU, SPREADS, Spoken, recorded_levels
from recitant_core.balance.phrase_ride import MOST_RIDE_DB, Held, PhraseGain, RideLimits, phrase_gains, ride_over
from recitant_core.balance.steps.run import Run, as_came, base_db, by_hand, kept
from recitant_core.gain.envelope import CurvePoint
from recitant_core.measure.clearance import momentary_power
from recitant_core.measure.other_sounds import OtherSound
from recitant_core.measure.phrases import Phrase
from recitant_core.measure.voicing import low_share_db
from recitant_core.render.clip_levels import Heard, heard_in_clip, level_of_clip
from recitant_core.timeline.curve_edits import curve_level_db
from recitant_core.timeline.edits import set_clips
from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB, Balanced, Clip, Plan, Track
from recitant_core.timeline.speech import SILENT_DB
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOP_SAMPLES, HOPS_PER_SECOND, RATE_HZ, SampleSpan
from recitant_core.units.level import lufs_from_power
from recitant_core.units.roles import Role

KEPT_SHARE: Final = 0.2  # of a clip with a curve of its own: of its distance to the aim
KEPT_LU: Final = 0.6
FAR_LU: Final = 8.0  # a phrase that ends further from the middle is told
COVERED_LU: Final = 6.0  # noise so far under what else sounds is covered by it
COVER_UNDER_AIM_LU: Final = 15.0  # however loud the rest comes in: the level in the open of atmosphere
_AROUND_HOPS: Final = HOPS_PER_SECOND
_LISTENED_SAMPLES: Final = 3 * RATE_HZ
_SILENT_LUFS: Final = -70.0


@dataclass(frozen=True)
class _Speaking:
    """A clip of a narration or dialogue track, at the gain it came with and without a curve a first balance made."""

    track: Track
    clip: Clip
    base: Clip
    level_lufs: float
    heard: Heard

    @property
    def speaker(self) -> str:
        """Whose phrases are moved alike: the person, or where nobody said, the track."""
        return self.clip.speaker or f"track {self.track.track_id}"


@dataclass(frozen=True)
class _Group:
    """All that one speaker says: phrases and the recording level of each, by clip."""

    phrases: list[Phrase]
    recorded_lufs: dict[str, list[float]]


class _Covers:
    """All that sounds around a phrase beside the speech and covers the noise behind it."""

    def __init__(self, run: Run, plan: Plan, aim_lufs: float) -> None:
        stems = run.scene(as_came(plan)).stems
        rest: FloatArray = sum((one for role, one in stems.items() if not role.is_speech), np.zeros(1))
        self._power = momentary_power(rest) if len(rest) > 1 else np.zeros(0)
        self._most_lufs = aim_lufs - COVER_UNDER_AIM_LU

    def near(self, clip: Clip, phrase: Phrase) -> float | None:
        """Level in LUFS up to which noise beside a phrase is covered; None where nothing else sounds."""
        first = clip.start_sample // HOP_SAMPLES + phrase.first_hop
        around = self._power[max(0, first - _AROUND_HOPS) : first + phrase.n_hops + _AROUND_HOPS]
        quiet = float(np.quantile(around, 0.1)) if len(around) else 0.0
        return min(lufs_from_power(quiet), self._most_lufs) - COVERED_LU if quiet > 0.0 else None


@dataclass
class _Evened:
    """Clips as they come out, and the report on them, while clip by clip is worked out."""

    clips: dict[str, Clip] = field(default_factory=dict)
    moved_db: dict[str, list[float]] = field(default_factory=lambda: defaultdict(list))
    """Gains of the phrases of each track."""
    told: list[dict[str, Any]] = field(default_factory=list)
    n_held: int = 0
    """Phrases that the noise behind them held back."""

    def is_moved(self, clip: Clip) -> bool:
        """Whether a clip comes out otherwise."""
        return self.clips.get(clip.clip_id, clip) != clip


def even_out(run: Run, plan: Plan) -> Step:
    """Bring phrases and clips of narration and dialogue towards their aim."""
    aim = run.material.spec.aim_lufs(Role.DIALOGUE)
    covers = _Covers(run, plan, aim)
    found, changes = _speaking(run, plan)
    plan, kept_faders = _faders_kept(plan, found)
    changes += kept_faders
    done = _Evened()
    groups, limits = _groups(run, found), RideLimits(SPREADS[run.choices.performance])
    for one in found:
        if one.heard.phrases and not one.base.curve:
            _even_phrases(run, one, groups[one.speaker], covers, limits, aim, done)
    for one in found:
        if run.is_in(one.clip) and one.clip.clip_id not in done.clips:
            clip, why = _as_a_whole(one, aim, done.moved_db[one.track.track_id])
            done.clips[one.clip.clip_id] = clip
            done.told += why
    moved = [one for one in found if done.is_moved(one.clip)]
    for one in moved:
        after = done.clips[one.clip.clip_id]
        changes.append(_change(one, after, _level(run, plan, one, after)))
    if moved:
        plan = set_clips(plan, [one.clip.clip_id for one in moved], lambda clip: done.clips[clip.clip_id])
    return Step("even-out", _measured(run, found, done, aim), (*changes, *done.told), plan)


def _faders_kept(plan: Plan, found: Sequence[_Speaking]) -> tuple[Plan, list[dict[str, Any]]]:
    """The plan with the faders of speech remembered as they are, and those that were set by hand."""
    changes = []
    for role in (one for one in plan.roles if one.is_speech):
        fader_db, record = plan.stem_gain_db(role), plan.stem_balanced.get(role)
        if by_hand(record, fader_db):
            changes.append(kept(role.label.lower(), "fader"))
        if record is None and any(one.track.role is role for one in found):
            # What its fader is moved by from here on is somebody's choice, and no clip makes up for it.
            plan = replace(plan, stem_balanced=plan.stem_balanced | {role: Balanced(fader_db, fader_db)})
    return plan, changes


def _even_phrases(
    run: Run, one: _Speaking, group: _Group, covers: _Covers, limits: RideLimits, aim_lufs: float, done: _Evened
) -> None:
    recorded = group.recorded_lufs[one.clip.clip_id]
    masks = [covers.near(one.clip, phrase) for phrase in one.heard.phrases]
    gains = phrase_gains(one.heard.phrases, group.phrases, aim_lufs, limits, recorded, masks)
    done.moved_db[one.track.track_id] += [gain.gain_db for gain in gains]
    if not run.is_in(one.clip):
        return
    done.n_held += sum(gain.is_held for gain in gains)
    others = _sounds_held(one.heard, gains)
    done.clips[one.clip.clip_id] = _ridden(run, one, gains, others)
    done.told += _performed(one, gains, recorded, aim_lufs) + _sounding(one, others)


def _measured(run: Run, found: Sequence[_Speaking], done: _Evened, aim_lufs: float) -> dict[str, Any]:
    inside = [one for one in found if run.is_in(one.clip)]
    levels = [one.level_lufs for one in inside if one.heard.phrases]
    return {
        "aim_lufs": aim_lufs,
        "clips": len(levels),
        "phrases": sum(len(one.heard.phrases) for one in inside),
        "loudest_lufs": round(max(levels), 1) if levels else None,
        "quietest_lufs": round(min(levels), 1) if levels else None,
        "held_by_noise": done.n_held,
        "performed": sum(change["what"] == "performance" for change in done.told),
        "other_sounds": sum(change["what"] == "sound" for change in done.told),
    }


def _groups(run: Run, found: Sequence[_Speaking]) -> dict[str, _Group]:
    by_speaker: dict[str, list[_Speaking]] = defaultdict(list)
    for one in sorted(found, key=lambda one: one.clip.start_sample):
        by_speaker[one.speaker].append(one)
    groups = {}
    for speaker, clips in by_speaker.items():
        spoken = [Spoken(phrase, one.clip.clip_id) for one in clips for phrase in one.heard.phrases]
        where = [one.clip for one in clips for _ in one.heard.phrases]

        @cache
        # Asked for only where a level alone does not tell a shout from a near microphone.
        def low_share(index: int, spoken: list[Spoken] = spoken, where: list[Clip] = where) -> float:
            phrase, clip = spoken[index].phrase, where[index]
            count = min(phrase.n_hops * HOP_SAMPLES, _LISTENED_SAMPLES)
            audio = run.material.sources[clip.source_key].read(clip.in_sample + phrase.first_hop * HOP_SAMPLES, count)
            return low_share_db(audio)

        recorded: dict[str, list[float]] = defaultdict(list)
        for each, level in zip(spoken, recorded_levels(spoken, low_share), strict=True):
            recorded[each.clip_id].append(level)
        groups[speaker] = _Group([each.phrase for each in spoken], recorded)
    return groups


def _speaking(run: Run, plan: Plan) -> tuple[list[_Speaking], list[dict[str, Any]]]:
    material = run.material
    found, changes = [], []
    for track in plan.tracks:
        stem = plan.stem_balanced.get(track.role)
        gain_db = track.gain_db + base_db(stem, plan.stem_gain_db(track.role))
        for clip in track.in_mix if track.role.is_speech else ():
            if clip.is_room_tone or clip.gain_db + gain_db <= SILENT_DB:
                continue
            if by_hand(clip.balanced, clip.gain_db):
                if run.is_in(clip):
                    changes.append(kept(clip.name, "gain"))
                continue
            is_made = clip.balanced is not None and clip.balanced.is_curve_made
            if clip.curve and not is_made:
                if run.is_in(clip):
                    changes.append(kept(clip.name, "curve"))
                if clip.balanced is not None:
                    continue  # drawn on what a first balance had set: all of it stays
            base = replace(clip, gain_db=base_db(clip.balanced, clip.gain_db), curve=() if is_made else clip.curve)
            energy = material.energies[clip.sound_key]
            level = level_of_clip(base, track, gain_db, energy, material.speech).level_lufs
            if level is not None and level > _SILENT_LUFS:
                heard = heard_in_clip(base, track, gain_db, energy, material.speech)
                found.append(_Speaking(track, clip, base, level, heard))
    return found, changes


def _sounds_held(heard: Heard, gains: Sequence[PhraseGain]) -> list[tuple[OtherSound, Held]]:
    # A sound that is not speech gets no more gain than the phrases beside it, and ends no louder than they do.
    found = []
    for sound in heard.others:
        beside = _beside(heard.phrases, sound)
        if sound.is_performance:
            nearest = min(beside, key=lambda i: _distance(heard.phrases[i], sound))
            gain = gains[nearest].gain_db
        else:
            most = min(gains[i].gain_db for i in beside)
            ends = min(heard.phrases[i].level_lufs + gains[i].gain_db for i in beside)
            gain = max(min(most, ends - sound.level_lufs), most - MOST_RIDE_DB)
        found.append((sound, Held(sound.first_hop, sound.last_hop, gain)))
    return found


def _beside(phrases: Sequence[Phrase], sound: OtherSound) -> list[int]:
    after = next((i for i, phrase in enumerate(phrases) if phrase.first_hop >= sound.first_hop), len(phrases))
    return [i for i in (after - 1, after) if 0 <= i < len(phrases)]


def _distance(phrase: Phrase, sound: OtherSound) -> int:
    return max(phrase.first_hop - sound.last_hop, sound.first_hop - phrase.last_hop)


def _as_a_whole(one: _Speaking, aim: float, moved_db: list[float]) -> tuple[Clip, list[dict[str, Any]]]:
    # A clip with a curve of its own goes to the aim; one without words goes with the others and never over them.
    away = one.level_lufs - aim
    if one.heard.phrases:
        by = float(np.clip(away * KEPT_SHARE, -KEPT_LU, KEPT_LU)) - away
        return _with(one, one.base.gain_db + by, one.base.curve, is_curve_made=False), []
    if not moved_db:
        return _with(one, one.base.gain_db, one.base.curve, is_curve_made=False), [
            {"what": "wordless", "name": one.clip.name, "by_db": 0.0}
        ]
    by = max(min(float(np.median(moved_db)), -away), -MOST_RIDE_DB)
    clip = _with(one, one.base.gain_db + by, one.base.curve, is_curve_made=False)
    return clip, [{"what": "wordless", "name": one.clip.name, "by_db": round(clip.gain_db - one.base.gain_db, 1)}]


def _ridden(run: Run, one: _Speaking, gains: Sequence[PhraseGain], others: Sequence[tuple[OtherSound, Held]]) -> Clip:
    phrases, part = one.heard.phrases, run.choices.part
    base_gain = one.base.gain_db
    wanted = [_raised(gain, base_gain) for gain in gains]
    held = [replace(each, gain_db=each.gain_db + base_gain) for _, each in others]
    if part is not None and not _covers(part, one.clip):
        # Outside of the part everything stays: only what lies in it moves, against the gain that the clip has.
        inside = SampleSpan(part.start_sample - one.clip.start_sample, part.length_samples)
        wanted = [
            new
            if _overlaps(p.first_hop, p.last_hop, inside)
            else replace(new, gain_db=_now_db(one.clip, p.first_hop, p.last_hop), pause_db=None)
            for p, new in zip(phrases, wanted, strict=True)
        ]
        held = [
            each
            if _overlaps(each.first_hop, each.last_hop, inside)
            else replace(each, gain_db=_now_db(one.clip, each.first_hop, each.last_hop))
            for each in held
        ]
    gain_db, points = ride_over(phrases, wanted, one.clip.length_samples, held)
    return _with(one, gain_db, points, is_curve_made=True)


def _raised(gain: PhraseGain, by_db: float) -> PhraseGain:
    pause = None if gain.pause_db is None else gain.pause_db + by_db
    return replace(gain, gain_db=gain.gain_db + by_db, pause_db=pause)


def _overlaps(first_hop: int, last_hop: int, span: SampleSpan) -> bool:
    return SampleSpan(first_hop * HOP_SAMPLES, (last_hop - first_hop) * HOP_SAMPLES).intersect(span) is not None


def _now_db(clip: Clip, first_hop: int, last_hop: int) -> float:
    return clip.gain_db + curve_level_db(clip, (first_hop + last_hop) // 2 * HOP_SAMPLES)


def _covers(part: SampleSpan, clip: Clip) -> bool:
    return part.start_sample <= clip.start_sample and clip.span.end_sample <= part.end_sample


def _with(one: _Speaking, gain_db: float, points: tuple[CurvePoint, ...], *, is_curve_made: bool) -> Clip:
    to_db = round(min(max(gain_db, LEAST_GAIN_DB), MOST_GAIN_DB), 1)
    if abs(to_db - one.clip.gain_db) < 0.1 and points == one.clip.curve:
        return one.clip
    balanced = Balanced(one.base.gain_db, to_db, is_curve_made and bool(points))
    return replace(one.clip, gain_db=to_db, curve=points, balanced=balanced)


def _performed(
    one: _Speaking, gains: Sequence[PhraseGain], recorded_lufs: Sequence[float], aim: float
) -> list[dict[str, Any]]:
    # Phrases that stand out of their recording level, and those that end far from the others for whatever reason.
    told = []
    for phrase, gain, recorded in zip(one.heard.phrases, gains, recorded_lufs, strict=True):
        away, ends = phrase.level_lufs - recorded, phrase.level_lufs + gain.gain_db - aim
        if abs(away) >= NOTABLE_LU or abs(ends) > FAR_LU:
            place = _place(one.clip, phrase.first_hop, phrase.last_hop)
            facts = {"what": "performance", "name": one.clip.name, "clip_id": one.clip.clip_id, **place}
            levels = {"away_lu": round(away, 1), "ends_lu": round(ends, 1), "is_held": gain.is_held}
            as_recorded = one.base.gain_db + gain.recorded_db
            nearer = as_recorded - away + SPREADS["even"].kept_lu(away)
            ways = {"as_recorded_db": round(as_recorded, 1), "nearer_db": round(nearer, 1)}
            told.append(facts | levels | ways)
    return told


def _sounding(one: _Speaking, others: Sequence[tuple[OtherSound, Held]]) -> list[dict[str, Any]]:
    return [
        {
            "what": "sound",
            "name": one.clip.name,
            "clip_id": one.clip.clip_id,
            **_place(one.clip, sound.first_hop, sound.last_hop),
            "from_lufs": round(sound.level_lufs, 1),
            "to_lufs": round(sound.level_lufs + held.gain_db, 1),
        }
        for sound, held in others
        if not sound.is_performance
    ]


def _place(clip: Clip, first_hop: int, last_hop: int) -> dict[str, int]:
    start = clip.start_sample + first_hop * HOP_SAMPLES
    return {"at_sample": start, "length_samples": (last_hop - first_hop) * HOP_SAMPLES}


def _level(run: Run, plan: Plan, one: _Speaking, clip: Clip) -> float | None:
    gain_db = one.track.gain_db + plan.stem_gain_db(one.track.role)
    return level_of_clip(
        clip, one.track, gain_db, run.material.energies[clip.sound_key], run.material.speech
    ).level_lufs


def _change(one: _Speaking, clip: Clip, level_lufs: float | None) -> dict[str, Any]:
    change: dict[str, Any] = {
        "what": "clip",
        "name": clip.name,
        "by_db": round(clip.gain_db - one.base.gain_db, 1),
        "from_lufs": round(one.level_lufs, 1),
        "to_lufs": round(one.level_lufs if level_lufs is None else level_lufs, 1),
    }
    if clip.curve and clip.balanced is not None and clip.balanced.is_curve_made:
        gains = [point.gain_db for point in clip.curve]
        change |= {"phrases": len(one.heard.phrases), "lowest_db": min(gains), "highest_db": max(gains)}
    return change
