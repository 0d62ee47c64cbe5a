"""Words of recordings and plans on disk, by local models."""

from collections.abc import Mapping, Sequence
from typing import Final

import numpy as np

from recitant_core.ports import Progress, SampleSource, no_progress
from recitant_core.render.mix import render_output
from recitant_core.render.tracks import EVERYTHING, Audibility
from recitant_core.speakers.encoder import Single
from recitant_core.speakers.grouping import groups_of, voice_windows, with_speakers
from recitant_core.timeline.model import Plan
from recitant_core.transcript.chunks import chunks_of
from recitant_core.transcript.hearing import transcribe
from recitant_core.transcript.lost import Rendered, Understood, heard_as_listener
from recitant_core.transcript.model import Transcript, Word
from recitant_core.transcript.transcriber import Transcriber
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import SampleSpan
from recitant_io.plan_energies import dialogue_speech, source_hop_energies, talk_of
from recitant_io.plan_file import LoadedPlan
from recitant_io.speech import speech_spans
from recitant_io.voices import voice_vectors

_HOP: Final = 480


def recording_words(
    source: SampleSource,
    transcriber: Transcriber,
    language: str = "",
    glossary: Sequence[str] = (),
    progress: Progress = no_progress,
) -> Transcript:
    """Words of one recording; see transcribe.

    Raises:
        WordsUnavailable: the model cannot hear this language. Cancelled: ``progress`` stopped it.
    """
    energy = source_hop_energies(source).sum(axis=1)
    spans = [span.span for span in speech_spans(source, energy)]
    return transcribe(source, spans, energy, transcriber, language, glossary, progress)


def plan_words(
    loaded: LoadedPlan,
    transcriber: Transcriber,
    language: str = "",
    glossary: Sequence[str] = (),
    n_speakers: int | None = None,
    progress: Progress = no_progress,
) -> dict[str, tuple[Word, ...]]:
    """Words of every recording on tracks of narration and dialogue, by its key, with their speakers.

    Raises:
        WordsUnavailable: see recording_words, and speakers_told_apart.
    """
    keys = sorted({c.source_key for track in loaded.plan.tracks if track.role.is_speech for c in track.clips})
    energies = {key: source_hop_energies(loaded.sources[key]) for key in keys}
    speech = dialogue_speech(loaded, energies)
    found = {}
    for at, key in enumerate(keys):
        spans = [span.span for span in speech[key]]
        energy = energies[key].sum(axis=1)

        def told(share: float, at: int = at) -> None:
            progress((at + share) / len(keys))

        heard = transcribe(loaded.sources[key], spans, energy, transcriber, language, glossary, told)
        found[key] = heard.words
    return speakers_told_apart(found, loaded.sources, n_speakers)


def speakers_told_apart(
    words: Mapping[str, tuple[Word, ...]], sources: Mapping[str, SampleSource], n_speakers: int | None = None
) -> dict[str, tuple[Word, ...]]:
    """Words of some recordings with speakers ``1``, ``2`` and so on, the one who speaks most first.

    Args:
        n_speakers: None where it is to be estimated.

    Raises:
        WordsUnavailable: the model of voices is not installed.
    """
    windows = {key: voice_windows(mine) for key, mine in words.items()}
    vectors: dict[str, Single] = {key: voice_vectors(sources[key], spans) for key, spans in windows.items()}
    together = [one for one in vectors.values() if len(one)]
    if not together:
        return dict(words)
    groups = groups_of(np.concatenate(together), n_speakers)
    ids = [str(number) for number in range(1, len(groups) + 1)]
    return {key: with_speakers(mine, windows[key], vectors[key], groups, ids) for key, mine in words.items()}


def words_in_mix(
    loaded: LoadedPlan, transcriber: Transcriber, language: str = "en", progress: Progress = no_progress
) -> list[Understood]:
    """Every word of a plan's dialogue, and what becomes of it in its mix.

    Raises:
        WordsUnavailable: the model cannot hear this language. Cancelled: ``progress`` stopped it.
    """
    spans = talk_of(loaded).spans
    alone, mix = dialogue_alone(loaded.plan, loaded.sources), whole_mix(loaded.plan, loaded.sources)
    return heard_as_listener(alone, mix, listening_chunks(alone, spans), transcriber, language, progress)


def listening_chunks(alone: Rendered, spans: Sequence[SampleSpan]) -> list[SampleSpan]:
    """Stretches in which a mix is listened to, of at most 28 s each.

    Args:
        alone: the dialogue alone.
        spans: where somebody speaks, in order.
    """
    end = max((span.end_sample for span in spans), default=0)
    energy = np.zeros(-(-end // _HOP))
    for span in spans:
        first = span.start_sample // _HOP
        audio = alone(SampleSpan(first * _HOP, (span.end_sample // _HOP - first) * _HOP))
        energy[first : first + len(audio) // _HOP] = (audio.reshape(-1, _HOP) ** 2).mean(axis=1)
    return chunks_of(spans, energy)


def dialogue_alone(plan: Plan, sources: Mapping[str, SampleSource]) -> Rendered:
    """The narration and dialogue of a plan by themselves, as they sound in the mix."""
    return _rendered(
        plan, sources, Audibility(frozenset(track.track_id for track in plan.tracks if track.role.is_speech))
    )


def whole_mix(plan: Plan, sources: Mapping[str, SampleSource]) -> Rendered:
    """The mix of a plan."""
    return _rendered(plan, sources, EVERYTHING)


def _rendered(plan: Plan, sources: Mapping[str, SampleSource], heard: Audibility) -> Rendered:
    def render(span: SampleSpan) -> FloatArray:
        audio = render_output(plan, sources, span, heard)
        stereo = audio @ plan.layout.stereo_matrix().astype(np.float32)
        return np.asarray(stereo.mean(axis=1), dtype=np.float64)

    return render
