"""Checks of a recording: each takes the evidence and gives a finding or nothing.

Thresholds are ours, set on recordings with known faults; tests/core/test_findings.py measures how often each check
finds its fault and how often it speaks without one.
"""

from dataclasses import replace
from typing import Final

import numpy as np
from scipy.signal import correlate, get_window

from recitant_core.intake.evidence import LOW_RATE_HZ, PIECE_SAMPLES, Evidence
from recitant_core.intake.findings import Facts, Finding, Remedy, Severity
from recitant_core.intake.piece_levels import (
    FLOOR_POWER,
    active_power,
    clean_power,
    db_of_power,
    gathered,
    noise_floor_db,
    rounded,
    speech_db,
    speech_to_noise,
    spoken_pieces,
)
from recitant_core.intake.transfer_checks import (
    clicks,
    dropouts,
    is_square_wave,
    line_up_signal,
    low_correlation,
    over_full_scale,
    shifted_sides,
)
from recitant_core.ports import SampleSource
from recitant_core.speech.activity import SpeechSpan, speech_share
from recitant_core.units.arrays import FloatArray
from recitant_core.units.channels import Routing
from recitant_core.units.clock import RATE_HZ, SampleSpan, samples_from_s

SILENT_CHANNEL_DB: Final = 40.0
LOW_CHANNEL_DB: Final = 10.0
SAME_RESIDUAL_DB: Final = -46.0
REVERSED_CORRELATION: Final = -0.6
APART_CORRELATION: Final = 0.7
ALIKE_ENVELOPES: Final = 0.6
LEAST_LAG_SAMPLES: Final = 48  # 1 ms: a third of a metre
LEAST_APART_DB: Final = 6.0
LEAST_DC: Final = 0.002  # -54 dBFS
LEAST_RUNS: Final = 3
LEAST_SNR_DB: Final = 24.0
HEARD_SNR_DB: Final = 32.0  # noise nearer than this is heard in pauses
SHORTEST_S: Final = 0.4  # one gating block of BS.1770: what is shorter has no loudness
HUM_ABOVE_DB: Final = 10.0
LEAST_HUM_DBFS: Final = -75.0
LEAST_LINE_DBFS: Final = -87.0
LOW_LEVEL_DBFS: Final = -42.0
OUTLIER_DB: Final = 6.0
OUTLIER_S: Final = 0.5
LEAST_SILENCE_S: Final = 0.75
KEPT_SILENCE_S: Final = 0.15
LOSSY_CODINGS: Final = ("mp3", "mpeg", "vorbis", "opus", "aac", "ac3", "eac3", "wma", "amr", "adpcm")


def findings_of(
    evidence: Evidence, speech: list[SpeechSpan] | None, source: SampleSource, coding: str, rate_hz: int
) -> list[Finding]:
    """Everything the checks find, the worst first.

    Args:
        evidence: of the recording.
        speech: where someone speaks in it; None while nobody has listened yet, which leaves out what needs it.
        source: the recording; only short stretches of it are read again.
        coding: what the file says it holds, such as "WAV PCM_24" or "mp3 mp3float".
        rate_hz: of the file as it came.
    """
    is_square = is_square_wave(evidence)
    hum = None if is_square else _hum(evidence)
    found = [
        *_channels(evidence, speech or [], source),
        _dc(evidence),
        # A square wave is flat, jumps, and has every harmonic of its tone: none of it is a fault.
        None if is_square else _clipped(evidence),
        None if is_square else dropouts(evidence),
        None if is_square else clicks(evidence, speech_share(speech or [], evidence.length_samples)),
        over_full_scale(evidence, coding),
        line_up_signal(evidence, source),
        _outlier(evidence, speech or []),
        hum,
        _noise(evidence, speech or [], has_hum=hum is not None),
        _low_level(evidence, speech or []),
        _ends(evidence),
        _short(evidence),
        _rate(rate_hz),
        _lossy(coding),
    ]
    order = list(Severity)
    return sorted((finding for finding in found if finding is not None), key=lambda f: order.index(f.severity))


def _channels(evidence: Evidence, speech: list[SpeechSpan], source: SampleSource) -> list[Finding]:
    if evidence.n_channels != 2:
        return []
    active = active_power(evidence)
    if not active.any():
        return []
    power = clean_power(evidence)[active]
    steady = evidence.mean.mean(axis=0)
    crossed = evidence.mean[active]
    cross = evidence.cross[active] - crossed[:, 0] * steady[1] - crossed[:, 1] * steady[0] + steady[0] * steady[1]
    left, right = float(power[:, 0].mean()), float(power[:, 1].mean())
    difference_db = db_of_power(left) - db_of_power(right)
    stronger = 0 if difference_db > 0 else 1
    to_stronger = Remedy("use-one-channel", True, routing=(Routing.FIRST, Routing.SECOND)[stronger])
    facts: Facts = {
        "left_dbfs": rounded(db_of_power(left)),
        "right_dbfs": rounded(db_of_power(right)),
        "stronger": ("left", "right")[stronger],
        "difference_db": rounded(abs(difference_db)),
    }
    if abs(difference_db) >= SILENT_CHANNEL_DB:
        return [Finding("one-channel-silent", Severity.FAULT, facts, (), (to_stronger,))]
    correlation = float(cross.mean() / np.sqrt(left * right))
    facts["correlation"] = rounded(correlation, 3)
    residual_db = db_of_power(1.0 - correlation * correlation)
    found = []
    reverse = Remedy("reverse-second", True, reversed_channels=(1,))
    if correlation <= REVERSED_CORRELATION:
        # Spread through the recording, not one place alone: the middle of the pieces says so too.
        local = cross / np.sqrt(np.maximum(power[:, 0] * power[:, 1], FLOOR_POWER**2))
        if float(np.median(local)) <= REVERSED_CORRELATION:
            found.append(Finding("reversed-polarity", Severity.FAULT, facts, (), (reverse,)))
    if abs(difference_db) >= LOW_CHANNEL_DB:
        found.append(Finding("one-channel-low", Severity.ODD, facts, (), (to_stronger,)))
    elif correlation > 0.0 and residual_db <= SAME_RESIDUAL_DB:
        together = Remedy("join-channels", True, routing=Routing.SUM)
        found.append(Finding("mono-in-stereo", Severity.NOTE, facts, (), (together,)))
    shifted = shifted_sides(evidence, source, facts) if not found else None
    if shifted is not None:
        found.append(shifted)
    elif not found and correlation < 0.0 and (low := low_correlation(evidence)) <= REVERSED_CORRELATION:
        # A sound that is wide above has its lows on both sides alike, unless one of them is turned over.
        low_facts = facts | {"low_correlation": rounded(low, 3)}
        # Less sure than the whole signal: offered, and never made without being asked for.
        found.append(Finding("side-reversed", Severity.ODD, low_facts, (), (replace(reverse, is_safe=False),)))
    if not found and speech_share(speech, evidence.length_samples) >= 0.25:
        apart = _two_microphones(evidence, speech, source, correlation, facts)
        if apart is not None:
            found.append(apart)
    return found


def _two_microphones(
    evidence: Evidence,
    speech: list[SpeechSpan],
    source: SampleSource,
    correlation: float,
    facts: Facts,
) -> Finding | None:
    if abs(correlation) >= APART_CORRELATION:
        return None
    level = 10.0 * np.log10(np.maximum(clean_power(evidence), FLOOR_POWER))
    alike = float(np.corrcoef(level[:, 0], level[:, 1])[0, 1])
    if not alike >= ALIKE_ENVELOPES:
        return None
    floors = [noise_floor_db(evidence, speech, channel) for channel in (0, 1)]
    voices = [speech_db(evidence, speech, channel) for channel in (0, 1)]
    clearer = int(voices[1] - floors[1] > voices[0] - floors[0])
    longest = max(speech, key=lambda span: span.length_samples)
    audio = source.read(longest.start_sample, min(longest.length_samples, 2 * RATE_HZ))
    crossed = correlate(audio[:, 0], audio[:, 1], mode="full", method="fft")
    lag = int(np.argmax(np.abs(crossed))) - (len(audio) - 1)
    # A stereo pair hears a voice at almost the same time and as clearly on both sides.
    apart_db = abs((voices[1] - floors[1]) - (voices[0] - floors[0]))
    if abs(lag) < LEAST_LAG_SAMPLES and apart_db < LEAST_APART_DB:
        return None
    facts = facts | {
        "left_snr_db": rounded(voices[0] - floors[0]),
        "right_snr_db": rounded(voices[1] - floors[1]),
        "lag_ms": rounded(1000.0 * lag / RATE_HZ, 2),
        "clearer": ("left", "right")[clearer],
    }
    choices = tuple(
        Remedy(code, False, routing=routing)
        for code, routing in (("use-first", Routing.FIRST), ("use-second", Routing.SECOND))
    )
    # Best signal-to-noise ratio first: the page offers the first.
    return Finding("two-microphones", Severity.ODD, facts, (), choices if clearer == 0 else choices[::-1])


def _dc(evidence: Evidence) -> Finding | None:
    steady = evidence.mean.mean(axis=0)
    worst = int(np.abs(steady).argmax())
    per_second = evidence.pieces_per_second
    seconds = len(evidence.mean) // per_second
    if abs(steady[worst]) < LEAST_DC or seconds < 1:
        return None
    means = evidence.mean[: seconds * per_second, worst].reshape(seconds, per_second).mean(axis=1)
    # An offset stands still; a rumble or a single slow swing does not.
    if np.mean(np.abs(means - steady[worst]) < 0.5 * abs(steady[worst])) < 0.8:
        return None
    offset = tuple(round(float(value), 6) for value in steady)
    facts: Facts = {
        "percent": rounded(100.0 * float(abs(steady[worst])), 2),
        "dbfs": rounded(db_of_power(float(steady[worst] ** 2))),
    }
    return Finding("dc-offset", Severity.FAULT, facts, (), (Remedy("remove-dc", True, dc_offset=offset),))


def _clipped(evidence: Evidence) -> Finding | None:
    if len(evidence.runs) < LEAST_RUNS:
        return None
    size = np.abs(evidence.runs[:, 3])
    # Clipping has one ceiling: the value that most runs share.
    near = np.abs(size[:, None] / size[None, : min(len(size), 2_000)] - 1.0) < 0.01
    ceiling = float(size[int(near.sum(axis=0).argmax())])
    kept = evidence.runs[np.abs(size / ceiling - 1.0) < 0.01]
    louder = int((evidence.peak.max(axis=1) > ceiling * 1.05).sum())
    if len(kept) < LEAST_RUNS or louder > len(kept):
        return None
    places = gathered(kept[:, 1], kept[:, 2], samples_from_s(0.25))
    facts: Facts = {
        "n_runs": len(kept),
        "n_samples": int(kept[:, 2].sum()),
        "ceiling_dbfs": rounded(20.0 * float(np.log10(ceiling)), 2),
        "first_s": rounded(places[0].start_sample / RATE_HZ, 2),
        "n_places": len(places),
    }
    return Finding("clipped", Severity.FAULT, facts, tuple(places[:200]))


def _outlier(evidence: Evidence, speech: list[SpeechSpan]) -> Finding | None:
    spoken = spoken_pieces(evidence, speech)
    if not spoken.any():
        return None
    peak = evidence.peak.max(axis=1)
    at = int(peak.argmax())
    around = round(OUTLIER_S * evidence.pieces_per_second)
    first, last = max(0, at - around), min(len(peak), at + around)
    rest = np.concatenate([peak[:first], peak[last:]])
    if not rest.size or rest.max() <= 0.0:
        return None
    above_db = 20.0 * float(np.log10(peak[at] / rest.max()))
    # Within 12 dB of the highest: how long it lasts.
    near = np.flatnonzero(peak[first:last] > peak[at] * 0.25)
    length_s = (near[-1] - near[0] + 1) / evidence.pieces_per_second
    if above_db < OUTLIER_DB or length_s > OUTLIER_S or (spoken[at] and length_s > 0.25 and above_db < 9.0):
        return None
    start = max(0, (first + int(near[0])) * PIECE_SAMPLES - samples_from_s(0.02))
    end = min(evidence.length_samples, (first + int(near[-1]) + 1) * PIECE_SAMPLES + samples_from_s(0.3))
    place = SampleSpan(start, end - start)
    facts: Facts = {
        "above_db": rounded(above_db),
        "at_s": rounded(at * PIECE_SAMPLES / RATE_HZ, 2),
        "peak_dbfs": rounded(20.0 * float(np.log10(peak[at]))),
    }
    remedies = [Remedy("leave-out", True, left_out=(place,))]
    before = min(span.start_sample for span in speech)
    after = max(span.span.end_sample for span in speech)
    if end <= before:
        keep = max(end, before - samples_from_s(0.5))
        remedies.insert(0, Remedy("trim-outlier", False, keep=SampleSpan(keep, evidence.length_samples - keep)))
    elif start >= after:
        remedies.insert(0, Remedy("trim-outlier", False, keep=SampleSpan(0, min(start, after + samples_from_s(0.5)))))
    return Finding("outlier", Severity.FAULT, facts, (place,), tuple(remedies))


def _hum(evidence: Evidence) -> Finding | None:
    channel = int(evidence.power.mean(axis=0).argmax())
    low = evidence.low[:, channel].astype(np.float64)
    low -= low.mean() if low.size else 0.0
    # Long windows tell a line from a note beside it; short ones fit into the pauses of someone who hardly pauses.
    for window_s, least_lines in ((2.0, 2), (0.5, 3)):
        found = _hum_lines(low, round(window_s * LOW_RATE_HZ), least_lines)
        if found is not None:
            total, mains_hz, lines = found
            facts: Facts = {
                "mains_hz": mains_hz,
                "lines_hz": [float(line) for line in lines],
                "dbfs": rounded(db_of_power(total)),
            }
            return Finding("hum", Severity.ODD, facts)
    return None


def _hum_lines(low: FloatArray, window: int, least_lines: int) -> tuple[float, int, list[int]] | None:
    if len(low) < 2 * window:
        return None
    steps = np.lib.stride_tricks.sliding_window_view(low, window)[:: window // 8]
    taper = get_window("hann", window)
    spectrum = np.abs(np.fft.rfft(steps * taper, axis=1)) ** 2 * (2.0 / taper.sum()) ** 2 / 2.0
    # What is there in the quietest stretches: a note comes and goes, hum stays.
    lasting = np.percentile(spectrum, 8, axis=0)
    bin_hz = LOW_RATE_HZ / window
    near, far = max(4, round(3.0 / bin_hz)), max(9, round(8.0 / bin_hz))
    best: tuple[float, int, list[int]] | None = None
    for mains_hz in (50, 60):
        strong, total = [], 0.0
        for k in range(1, 9):
            centre = round(k * mains_hz / bin_hz)
            line = float(lasting[centre - 1 : centre + 2].sum())
            beside = np.concatenate(
                [lasting[centre - far : centre - near], lasting[centre + near + 1 : centre + far + 1]]
            )
            is_highest = lasting[centre - near : centre + near + 1].argmax() in (near - 1, near, near + 1)
            if (
                is_highest
                and db_of_power(line) - db_of_power(3.0 * float(np.median(beside))) >= HUM_ABOVE_DB
                and db_of_power(line) > LEAST_LINE_DBFS
            ):
                strong.append(k * mains_hz)
                total += line
        is_hum = len(strong) >= least_lines and strong[0] <= 2 * mains_hz and db_of_power(total) > LEAST_HUM_DBFS
        if is_hum and (best is None or total > best[0]):
            best = (total, mains_hz, strong)
    return best


def _noise(evidence: Evidence, speech: list[SpeechSpan], *, has_hum: bool) -> Finding | None:
    if speech_share(speech, evidence.length_samples) < 0.1:
        return None
    levels = speech_to_noise(evidence, speech)
    if levels is None:
        return None
    voice_db, floor_db = levels
    facts: Facts = {
        "snr_db": rounded(voice_db - floor_db),
        "floor_dbfs": rounded(floor_db),
        "speech_dbfs": rounded(voice_db),
    }
    if voice_db - floor_db >= (LEAST_SNR_DB if has_hum else HEARD_SNR_DB):
        return None  # what is heard in the pauses of a recording with hum is its hum
    if voice_db - floor_db >= LEAST_SNR_DB:
        return Finding("noise-heard", Severity.NOTE, facts)
    return Finding("noisy", Severity.ODD, facts)


def _low_level(evidence: Evidence, speech: list[SpeechSpan]) -> Finding | None:
    power = clean_power(evidence).max(axis=1)
    spoken = spoken_pieces(evidence, speech)
    wanted = power[spoken] if spoken.any() else power
    loud = wanted[wanted >= wanted.mean() * 0.1] if wanted.size else wanted
    level_dbfs = db_of_power(float(loud.mean())) if loud.size else db_of_power(0.0)
    peak_dbfs = 20.0 * float(np.log10(max(float(evidence.peak.max(initial=0.0)), 1e-6)))
    if level_dbfs >= LOW_LEVEL_DBFS or evidence.peak.max(initial=0.0) == 0.0:
        return None
    # So that the level comes to where spoken word usually lies, and no peak passes -6 dBFS.
    change_db = rounded(min(-23.0 - level_dbfs, -6.0 - peak_dbfs, 24.0))
    facts: Facts = {
        "level_dbfs": rounded(level_dbfs),
        "peak_dbfs": rounded(peak_dbfs),
    }
    remedies = (Remedy("raise", True, gain_change_db=change_db),) if change_db > 0.0 else ()
    return Finding("very-low", Severity.ODD, facts, (), remedies)


def _ends(evidence: Evidence) -> Finding | None:
    peak = evidence.peak.max(axis=1)
    # -60 dBFS, or 40 dB under what is loud in a low recording.
    sounding = np.flatnonzero(peak > min(1e-3, 0.01 * float(np.percentile(peak, 95))))
    if not sounding.size:
        if evidence.length_samples and float(peak.max(initial=0.0)) < 1e-4:
            return Finding("silent", Severity.FAULT)
        return None
    head_s = sounding[0] * PIECE_SAMPLES / RATE_HZ
    tail_s = (evidence.length_samples - (sounding[-1] + 1) * PIECE_SAMPLES) / RATE_HZ
    if max(head_s, tail_s) < LEAST_SILENCE_S:
        return None
    kept = samples_from_s(KEPT_SILENCE_S)
    start = int(sounding[0]) * PIECE_SAMPLES - kept if head_s >= LEAST_SILENCE_S else 0
    end = evidence.length_samples
    if tail_s >= LEAST_SILENCE_S:
        end = min(end, int(sounding[-1] + 1) * PIECE_SAMPLES + kept)
    facts: Facts = {
        "head_s": rounded(max(0.0, head_s), 2),
        "tail_s": rounded(max(0.0, tail_s), 2),
    }
    keep = SampleSpan(start, end - start)
    places = tuple(
        span for span in (SampleSpan(0, start), SampleSpan(end, evidence.length_samples - end)) if span.length_samples
    )
    return Finding("silent-ends", Severity.NOTE, facts, places, (Remedy("trim-silence", True, keep=keep),))


def _short(evidence: Evidence) -> Finding | None:
    if not 0 < evidence.length_samples < samples_from_s(SHORTEST_S):
        return None
    return Finding("short", Severity.NOTE, {"length_ms": round(1000.0 * evidence.length_samples / RATE_HZ)})


def _rate(rate_hz: int) -> Finding | None:
    return Finding("other-rate", Severity.NOTE, {"rate_hz": rate_hz}) if rate_hz != RATE_HZ else None


def _lossy(coding: str) -> Finding | None:
    name = coding.lower()
    if any(lossy in name for lossy in LOSSY_CODINGS):
        return Finding("lossy", Severity.NOTE, {"coding": coding})
    return None
