"""Words of a plan on disk, and what becomes of them in its mix."""

from collections.abc import Sequence

from recitant_core.ports import Progress, no_progress
from recitant_core.transcript.hearing import transcribe
from recitant_core.transcript.lost import Understood, heard_as_listener
from recitant_core.transcript.model import Word
from recitant_core.transcript.transcriber import Transcriber
from recitant_io.hearing.listener import dialogue_alone, listening_chunks, whole_mix
from recitant_io.hearing.transcripts import speakers_told_apart
from recitant_io.plan.plan_energies import dialogue_speech, talk_of
from recitant_io.plan.plan_file import LoadedPlan
from recitant_io.store.hop_energies import source_hop_energies


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
