"""Placing: where a stem comes in, what its fader makes of that, and the slow trim of its scenes.

A stem that comes in well placed is left as it is; none is lifted by more than six dB, with fader and trim together.
Held to: tests/core/test_placing.py
"""

from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Final

import numpy as np

from recitant_core.gain.trim import Trim, TrimScene
from recitant_core.measure.clearance import BoolArray, momentary_power
from recitant_core.measure.clip_level import HALF_BLOCK, speaking_share
from recitant_core.measure.loudness import gating_block_powers, integrated_lufs
from recitant_core.measure.scenes import scenes
from recitant_core.render.two_levels import lacking_db, over_db
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOP_SAMPLES, HOPS_PER_SECOND
from recitant_core.units.level import power_from_lufs
from recitant_core.units.roles import Role

MOST_LIFT_DB: Final = 6.0
MOST_TRIM_DOWN_DB: Final = 15.0
PLACED_LU: Final = {Role.MUSIC: (3.0, 3.0), Role.EFFECTS: (3.0, 3.0), Role.ATMOSPHERE: (6.0, 2.0)}
"""How far under and over its level in the open a stem counts as well placed. Common practice."""
SCENE_LU: Final = 4.0  # a scene further from the level in the open is trimmed
SCENE_KEPT_LU: Final = 3.0  # and so much of its distance stays: the material's own dynamics
DIP_RESERVE_DB: Final = 1.5  # what a dip keeps for the sum of all stems
_ONE_DECISION_HOPS: Final = 20 * HOPS_PER_SECOND  # nothing is raised that a dip so near by lowers again
_OPEN_S: Final = 5.0  # a stem that is heard alone for less is placed by what it does under speech
_OPEN_SHARE: Final = 0.1
_LEAST_MOVE_DB: Final = 0.5
_LEAST_TRIM_DB: Final = 1.0
_MOST_TRIM_TRAVEL_DB: Final = 4.0  # a minute
_BLOCKS_PER_S: Final = 10.0
_OF_HITS: Final = (0.9, 0.93)
_EVENT_LUFS: Final = -60.0
_EVENTS_SHARE: Final = 0.7
_LEAST_EVENTS: Final = 3
LEADING_SPEECH_SHARE: Final = 0.2
LEADING_MUSIC_SHARE: Final = 0.6
LEADING_LU: Final = 6.0


@dataclass(frozen=True)
class Lines:
    """The two levels of a stem, in LUFS, and how deep a dip may go between them."""

    open_lufs: float
    under_lufs: float
    most_dip_db: float
    distance_lu: float
    """That its loud moments keep from the words under speech; see two_levels.distance_of_rule_lu."""


@dataclass(frozen=True)
class Voices:
    """Speech that a stem is placed against."""

    words: FloatArray
    """Power of the words around each hop, float64 (hops,)."""
    counted: BoolArray
    """Hops whose words count, bool (hops,); see two_levels.counted_hops."""
    is_talk: BoolArray
    """Hops in runs of talk, short pauses among them, bool (hops,)."""


@dataclass(frozen=True)
class Placement:
    """Level of a stem as it came, and the gains that a first balance sets on it."""

    level_lufs: float | None
    """As it came, in the open, or under speech where it is hardly heard alone; None for silence."""
    gain_db: float
    """Change of its fader."""
    short_db: float
    """What a lift of six dB leaves undone; 0 where nothing is left."""
    trim: Trim


def placed(energy: FloatArray, role: Role, lines: Lines, voices: Voices, nearer_lu: float) -> Placement:
    """Fader and trim of a stem.

    Args:
        energy: float64 (hops,), with the fader as it came and without any trim or dip.
        lines: as chosen, nearness and all.
        nearer_lu: how far the choice moved the lines: a well placed stem moves by as much.
    """
    level, is_open = _level(energy, voices, role)
    if level is None:
        return Placement(None, 0.0, 0.0, ())
    middle = replace(lines, open_lufs=lines.open_lufs - nearer_lu, under_lufs=lines.under_lufs - nearer_lu)
    wanted = nearer_lu + _moved_db(_away_lu(level, middle, is_open=is_open), role)
    gain = round(min(wanted, MOST_LIFT_DB), 1)
    trim = _trim(energy * 10.0 ** (gain / 10.0), role, lines, voices, MOST_LIFT_DB - max(gain, 0.0))
    return _placement(level, gain, round(max(0.0, wanted - gain), 1), trim)


def placed_as_it_leads(energy: FloatArray, role: Role, voices: Voices, gain_db: float, lines: Lines) -> Placement:
    """Placement of a stem where music leads: its fader moves as the music's does, only scenes under speech are trimmed.

    Args:
        energy: its 10 ms energies, float64 (hops,).
        gain_db: of the music.
    """
    level, _ = _level(energy, voices)
    if level is None:
        return Placement(None, 0.0, 0.0, ())
    gain = round(min(gain_db, MOST_LIFT_DB), 1)
    trim = _trim(energy * 10.0 ** (gain / 10.0), role, lines, voices, 0.0, is_own=True)
    return _placement(level, gain, round(max(0.0, gain_db - gain), 1), trim)


def _placement(level: float, gain_db: float, short_db: float, trim: Trim) -> Placement:
    # One scene needs no trim: the fader does it.
    if len(trim) == 1:
        return Placement(level, round(gain_db + trim[0].gain_db, 1), short_db, ())
    return Placement(level, gain_db, short_db, trim)


def music_leads(music: FloatArray, dialogue: FloatArray, voices: Voices, is_speech: BoolArray) -> bool:
    """Whether music carries the programme: little speech, music nearly throughout, and about as loud as the words.

    Args:
        music, dialogue: 10 ms energies of the stems, float64 (hops,).
        is_speech: bool (hops,).
    """
    if not len(is_speech) or is_speech.mean() >= LEADING_SPEECH_SHARE:
        return False
    level, is_open = _level(music, voices)
    if level is None or not is_open:
        return False
    sounding = momentary_power(music) > 10.0 ** ((level - 20.0) / 10.0)
    spoken = integrated_lufs(gating_block_powers(dialogue))
    is_loud = spoken is None or not np.isfinite(spoken) or level >= spoken - LEADING_LU
    return bool(sounding.mean() >= LEADING_MUSIC_SHARE and is_loud)


def level_in_the_open(energy: FloatArray, voices: Voices) -> float | None:
    """Loudness of a stem where nobody speaks, in LUFS; of all where it is hardly heard alone; None for silence.

    Args:
        energy: its 10 ms energies, float64 (hops,).
    """
    return _level(energy, voices)[0]


def with_kept(made: Trim, old: Trim, end_sample: int) -> Trim:
    """A new trim with the scenes of the old one whose gain was set by hand.

    Args:
        made: as a first balance places the stem now.
        old: as it stood, with what somebody set.
        end_sample: where the programme ends, and with it the last scene.
    """
    found = made
    for index, scene in enumerate(old):
        if scene.is_kept:
            until = old[index + 1].start_sample if index + 1 < len(old) else end_sample
            after = [s for s in found if s.start_sample <= until]
            resumed = TrimScene(until, after[-1].gain_db if after else 0.0)
            found = tuple(s for s in found if not scene.start_sample <= s.start_sample <= until)
            found = tuple(sorted([*found, scene, *([resumed] if until < end_sample else [])]))
    if found and found[0].start_sample > 0:
        found = (TrimScene(0, 0.0), *found)
    return found


def _usual_event_lufs(blocks: FloatArray) -> float | None:
    """The middle of the levels of single sounds, in LUFS; None where there are fewer than three, or no silence between.

    Args:
        blocks: powers of gating blocks, float64 (blocks,).
    """
    sounding = blocks > power_from_lufs(_EVENT_LUFS)
    if not sounding.any() or sounding.mean() > _EVENTS_SHARE:
        return None
    edges = np.flatnonzero(np.diff(np.concatenate([[False], sounding, [False]]).astype(np.int8))).reshape(-1, 2)
    events: list[list[int]] = []
    for first, last in edges.tolist():
        if events and first - events[-1][1] < _BLOCKS_PER_S:
            events[-1][1] = last
        else:
            events.append([first, last])
    levels = [integrated_lufs(blocks[first:last]) for first, last in events]
    known = [level for level in levels if level is not None and np.isfinite(level)]
    return float(np.median(known)) if len(known) >= _LEAST_EVENTS else None


def _level(energy: FloatArray, voices: Voices, role: Role | None = None) -> tuple[float | None, bool]:
    blocks = gating_block_powers(energy)
    is_open = speaking_share(~voices.is_talk[: len(energy)])[: len(blocks)] >= HALF_BLOCK
    whole = integrated_lufs(blocks)
    if whole is None or not np.isfinite(whole):
        return None, False
    audible = blocks > power_from_lufs(whole - 20.0)
    n_open, n_all = np.count_nonzero(audible & is_open), np.count_nonzero(audible)
    if role is not None and role.kind is Role.EFFECTS:
        # One hit sets no fader: single sounds are placed by the middle of them.
        usual = _usual_event_lufs(blocks)
        if usual is not None:
            return usual, bool(n_open)
    if n_open >= _OPEN_S * _BLOCKS_PER_S and n_open >= _OPEN_SHARE * n_all:
        level = integrated_lufs(blocks[is_open])
        if level is not None and np.isfinite(level):
            return float(level), True
    return float(whole), False


def _away_lu(level: float, lines: Lines, *, is_open: bool) -> float:
    # What sounds under speech alone may lie anywhere between its two levels.
    if is_open:
        return lines.open_lufs - level
    return lines.open_lufs - level if level > lines.open_lufs else max(0.0, lines.under_lufs - level)


def _moved_db(away_lu: float, role: Role) -> float:
    under, over = PLACED_LU[role.kind]
    if -over <= away_lu <= under:
        return 0.0
    # A room is only brought near: nobody misses a quiet one.
    if away_lu > 0.0 and role.kind is Role.ATMOSPHERE:
        return away_lu - under if away_lu - under >= _LEAST_MOVE_DB else 0.0
    return away_lu


def _trim(
    energy: FloatArray, role: Role, lines: Lines, voices: Voices, most_up_db: float, *, is_own: bool = False
) -> Trim:
    found: list[list[float]] = []  # first hop, length, gain
    power = momentary_power(energy)
    for first, last in scenes(energy):
        hops = slice(first, last)
        gain = 0.0
        level, is_open = _level(energy[hops], _part(voices, hops))
        if level is not None:
            # Effects and rooms are loud and quiet on purpose: near, far away, dying out. A bed is meant to be steady.
            away = 0.0 if is_own or role.kind is not Role.MUSIC else _away_lu(level, lines, is_open=is_open)
            if (
                away > SCENE_LU
                and not voices.is_talk[max(0, first - _ONE_DECISION_HOPS) : last + _ONE_DECISION_HOPS].any()
            ):
                gain = min(away - SCENE_KEPT_LU, most_up_db)
            elif away < -SCENE_LU:
                gain = away + SCENE_KEPT_LU
            counted = voices.counted[hops]
            over = over_db(power[hops][counted], voices.words[hops][counted], lines.distance_lu) + gain
            # A hit is over soon, and sets the trim of no scene.
            lacking = lacking_db(over, _OF_HITS) if role.kind is Role.EFFECTS else lacking_db(over)
            gain -= max(0.0, lacking - max(0.0, lines.most_dip_db - DIP_RESERVE_DB))
        gain = max(gain, -MOST_TRIM_DOWN_DB)
        found.append([first, last - first, gain if abs(gain) >= _LEAST_MOVE_DB else 0.0])
    return _calm(found, len(energy))


def _part(voices: Voices, hops: slice) -> Voices:
    return Voices(voices.words[hops], voices.counted[hops], voices.is_talk[hops])


def _calm(found: list[list[float]], n_hops: int) -> Trim:
    # Neighbours that differ little, and those by which the trim would move too much, share one gain.
    budget_db = _MOST_TRIM_TRAVEL_DB * max(1.0, n_hops / (60 * HOPS_PER_SECOND))
    while len(found) > 1:
        steps = [abs(a[2] - b[2]) for a, b in pairwise(found)]
        least = int(np.argmin(steps))
        if steps[least] >= _LEAST_TRIM_DB and sum(steps) <= budget_db:
            break
        a, b = found[least], found[least + 1]
        shared = (a[1] * a[2] + b[1] * b[2]) / (a[1] + b[1])
        found[least : least + 2] = [[a[0], a[1] + b[1], shared]]
    if all(abs(gain) < _LEAST_TRIM_DB for _, _, gain in found):
        return ()
    return tuple(TrimScene(int(first) * HOP_SAMPLES, round(gain, 1)) for first, _, gain in found)
