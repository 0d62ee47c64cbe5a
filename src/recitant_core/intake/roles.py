"""What a recording probably is: narration, dialogue, music, effects or atmosphere, and the reasons for the guess.

A guess, shown with its reasons and corrected by the person; thresholds are ours, tried on the demo's recordings.
Held to: tests/core/test_roles.py
"""

import re
from dataclasses import dataclass
from typing import Final

import numpy as np

from recitant_core.intake.evidence import LOW_RATE_HZ, Evidence
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.roles import ROLES, Role

SPEECH_SHARE: Final = 0.35
CONTINUOUS_SHARE: Final = 0.85
LONG_S: Final = 12.0
TONAL: Final = 0.85
LEAST_SPEECH: Final = 0.02
"""Share of speech from which the sound of a film is production sound."""
_NAMED: Final = 10.0
"""Of a role word in the name, over all that the sound suggests."""

_WORDS: Final = {
    Role.NARRATION: "narrat narration narrator vo voiceover voice-over voice_over commentary",
    Role.DIALOGUE: "voice dialogue dialog interview boom lav speech line shout",
    Role.MUSIC: "music mx score song theme strings brass piano guitar cue underscore melody jingle coda bpm sting bed",
    Role.EFFECTS: (
        "sfx fx effect hit impact door step footstep whoosh foley bell hammer bang click crash strike hoist steam pour"
    ),
    Role.ATMOSPHERE: (
        "amb ambience ambient atmo atmos atmosphere room roomtone tone floor wind rain street city crowd furnace"
    ),
}


@dataclass(frozen=True)
class RoleGuess:
    """A role and why."""

    role: Role
    reasons: tuple[tuple[str, str], ...]
    """Code and figure or word of each reason, the strongest first; behind a name that says otherwise, what the sound
    suggests."""
    confidence: float
    """0 to 1: how far the best guess stands before the second."""


def guess_role(name: str, evidence: Evidence, speech_share: float, *, is_film: bool = False) -> RoleGuess:
    """Most probable role of a recording, with the reasons.

    A role word in its name wins over what the sound suggests: who named it knew. The sound decides between several.

    Args:
        name: of the file, as the person knows it.
        evidence: of the recording.
        speech_share: how much of it is speech, 0 to 1.
        is_film: whether it is the sound of a picture: with speech in it that is production sound, whatever else it has.
    """
    length_s = evidence.length_samples / RATE_HZ
    continuity = active_share(evidence)
    tonality = tonal_share(evidence)
    score = dict.fromkeys(ROLES, 0.0)
    reasons: list[tuple[float, Role, str, str]] = []

    def add(role: Role, weight: float, code: str, figure: str) -> None:
        score[role] += weight
        reasons.append((weight, role, code, figure))

    # Sound alone does not tell a narrator from anybody else who talks: the name does.
    talking = Role.NARRATION if _named(name, Role.NARRATION) else Role.DIALOGUE
    if is_film and speech_share >= LEAST_SPEECH:
        add(talking, 1.5, "film", f"{100 * speech_share:.0f}")
    elif speech_share >= SPEECH_SHARE:
        add(talking, 1.0, "speech", f"{100 * speech_share:.0f}")
    elif speech_share >= 0.15:
        add(talking, 0.4, "speech", f"{100 * speech_share:.0f}")
    else:
        is_long = length_s >= LONG_S
        if continuity >= CONTINUOUS_SHARE and is_long:
            continuous = Role.MUSIC if tonality >= TONAL else Role.ATMOSPHERE
            add(continuous, 0.5, "continuous", f"{length_s:.0f}")
            add(continuous, 0.3, "tonal" if tonality >= TONAL else "noisy", f"{100 * tonality:.0f}")
        else:
            add(Role.EFFECTS, 0.6, "events" if is_long else "short", f"{length_s:.0f}")
    heard = max(ROLES, key=lambda role: score[role])
    for role in _WORDS:
        found = _named(name, role)
        if found and not is_film:
            add(role, _NAMED, "name", found.group(1))
    ranked = sorted(ROLES, key=lambda role: -score[role])
    best = ranked[0]
    strongest = sorted(reasons, key=lambda reason: -reason[0])
    mine = [(code, figure) for _, role, code, figure in strongest if role is best]
    if heard is not best and mine and mine[0][0] == "name":
        # Both are shown, so that a wrong name is seen.
        mine.append(("sounds", heard.label.lower()))
        mine += [(code, figure) for _, role, code, figure in strongest if role is heard][:1]
    return RoleGuess(best, tuple(mine), round(min(1.0, score[best] - score[ranked[1]]), 2))


def role_named(name: str) -> Role | None:
    """Role that a name has a word for; None where it has none, or words for several."""
    found = [role for role in _WORDS if _named(name, role)]
    return found[0] if len(found) == 1 else None


def _named(name: str, role: Role) -> re.Match[str] | None:
    return re.search(rf"(?:^|[^a-z])({_WORDS[role].replace(' ', '|')})(?:s|[^a-z]|$)", name.lower())


def active_share(evidence: Evidence) -> float:
    """Share of a recording that sounds, 0 to 1: 200 ms stretches within 25 dB of its loud ones."""
    power = evidence.power.max(axis=1)
    whole = len(power) // 10 * 10
    steps: FloatArray = power[:whole].reshape(-1, 10).mean(axis=1) if whole else power
    if not steps.size or steps.max() <= 0.0:
        return 0.0
    return float(np.mean(steps > np.percentile(steps, 90) * 10 ** (-25 / 10)))


def tonal_share(evidence: Evidence) -> float:
    """Share of the energy under 1 kHz in lines, 0 (noise) to 1 (notes): the middle of 0.5 s stretches."""
    channel = int(evidence.power.mean(axis=0).argmax())
    low = evidence.low[:, channel].astype(np.float64)
    window = LOW_RATE_HZ // 2
    if len(low) < window:
        return 0.0
    steps = np.lib.stride_tricks.sliding_window_view(low, window)[::window]
    spectrum = np.abs(np.fft.rfft(steps * np.hanning(window), axis=1))[:, 20:] ** 2
    total = spectrum.sum(axis=1)
    loud = total > np.percentile(total, 50) * 0.1
    if not loud.any() or total.max() <= 0.0:
        return 0.0
    # A line fills three bins of a Hann window; what stands in the sixty highest of some five hundred bins.
    ordered = np.sort(spectrum[loud], axis=1)[:, ::-1]
    return float(np.median(ordered[:, :60].sum(axis=1) / np.maximum(ordered.sum(axis=1), 1e-20)))
