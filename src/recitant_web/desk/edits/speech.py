"""Edits of where somebody speaks, and of the clearance that is asked for."""

from recitant_core.errors import EditRefused, NotThere
from recitant_core.speech.corrections import SpeechMark, mark_laid
from recitant_core.units.clock import RATE_HZ
from recitant_text.steps import label
from recitant_web.desk.edits.registry import RowChanges, RowEdit, row_change
from recitant_web.desk.mapping.speech import marks_to_data
from recitant_web.desk.models import Clip
from recitant_web.programme.models import Programme
from recitant_web.programme.queries import marks_from_data
from recitant_web.shared.shapes import Id, Lu, Samples, Seconds

LEAST_SPEECH_SAMPLES = RATE_HZ // 20


class MarkSpeech(RowEdit, frozen=True, kw_only=True, tag="speech"):
    """Speech added to a clip or taken away."""

    id: Id
    from_sample: Samples
    to_sample: Samples
    is_speech: bool = False

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        clip = Clip.objects.filter(pk=self.id, track__programme=programme).select_related("source").first()
        if clip is None:
            raise NotThere()
        first = max(self.from_sample, clip.start_sample)
        last = min(self.to_sample, clip.start_sample + clip.length_samples)
        if last - first < LEAST_SPEECH_SAMPLES:
            raise EditRefused("speech_span")
        shift = clip.in_sample - clip.start_sample
        source = clip.source
        mark = SpeechMark(first + shift, last - first, self.is_speech)
        marks = marks_to_data(mark_laid(marks_from_data(source.speech_marks), mark))
        change = {"table": "source", "id": source.pk, "set": {"speech_marks": [source.speech_marks, marks]}}
        step = label("speech-marked" if self.is_speech else "no-speech-marked", what={"clip": clip.name[:120]})
        return step, [change], []


class AskClearance(RowEdit, frozen=True, kw_only=True, tag="clearance"):
    """Set the clearance that is asked for, and the shortest passage that counts."""

    asked_lu: Lu
    least_s: Seconds

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        if not (0.0 <= self.asked_lu <= 40.0 and 0.1 <= self.least_s <= 10.0):
            raise EditRefused("clearance_range")
        wanted = {"clearance_lu": round(float(self.asked_lu), 1), "least_passage_s": round(float(self.least_s), 2)}
        step = label("clearance-asked", asked_lu=float(self.asked_lu))
        return step, row_change("programme", programme, wanted), []
