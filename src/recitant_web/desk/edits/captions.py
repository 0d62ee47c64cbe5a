"""Edits of captions: made from the words, set, split, joined, removed, put right by their rules."""

from typing import Literal

from recitant_core.captions.lines import lines_of
from recitant_core.captions.making import cues_of, timed
from recitant_core.captions.rules import MOST_CUES, CaptionRules, Cue
from recitant_core.errors import EditRefused, NotThere, RangeError
from recitant_core.timeline.changes import Change
from recitant_core.timeline.sounds import named_sounds
from recitant_core.timeline.words import turns_in_programme
from recitant_core.units.timecode import frame_rate, timecode_from_samples
from recitant_text.steps import Label, label
from recitant_web.desk.edits.registry import RowChanges, RowEdit, row_change
from recitant_web.desk.log import deleted, inserted
from recitant_web.desk.mapping.plans import plan_of
from recitant_web.desk.people import names_of_people
from recitant_web.programme.models import Programme
from recitant_web.shared.shapes import Id, Ids, Lines, Place, Samples, Seconds
from recitant_web.transcript.models import Caption
from recitant_web.transcript.queries import cues_of_programme, rules_of, words_of

Speakers = Literal["none", "names", "dashes"]
LEAST_SAMPLES = 1_920


class MakeCaptions(RowEdit, frozen=True, kw_only=True, tag="captions-make"):
    """All captions anew from the words."""

    is_silent = True
    speakers: Speakers = "none"
    """How a change of speaker is shown."""

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        turns = [one.turn for one in turns_in_programme(plan_of(programme), words_of(programme))]
        if not turns:
            raise EditRefused("no_words_yet")
        names = names_of_people(programme, plan_of(programme))
        shown, last = [], ""
        for turn in turns:
            name = names.get(turn.speaker, "")
            is_new = bool(name) and turn.speaker != last and self.speakers != "none"
            shown.append("" if not is_new else f"{name.upper()}:" if self.speakers == "names" else "–")
            last = turn.speaker
        cues = cues_of(turns, rules_of(programme), frame_rate(programme.frame_rate), shown)
        return _all_anew(programme, cues, label("captions-from-words", n=len(cues)))


def _all_anew(programme: Programme, cues: list[Cue], step: Label) -> RowChanges:
    if len(cues) > MOST_CUES:
        raise EditRefused("too_many_cues", found=len(cues), most=MOST_CUES)
    gone = [deleted("caption", row) for row in programme.captions.all()]
    rows = [
        Caption(programme=programme, start_sample=c.start_sample, end_sample=c.end_sample, text=c.text) for c in cues
    ]
    Caption.objects.bulk_create(rows, batch_size=500)
    last = Caption.objects.filter(programme=programme).order_by("-pk")[: len(rows)]
    return step, gone, [inserted("caption", row) for row in reversed(last)]


def imported_captions(programme: Programme, cues: list[Cue], file: str) -> RowChanges:
    """All captions as a file has them."""
    return _all_anew(programme, cues, label("captions-from-file", n=len(cues), file=file[:80]))


class SetCaption(RowEdit, frozen=True, kw_only=True, tag="caption-set"):
    """A caption changed; what is not given stays."""

    is_silent = True
    id: Id
    start_sample: Place | None = None
    end_sample: Place | None = None
    text: Lines | None = None

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        row = _caption(programme, self.id)
        given = {"start_sample": self.start_sample, "end_sample": self.end_sample, "text": self.text}
        wanted = {name: value for name, value in given.items() if value is not None}
        start, end = wanted.get("start_sample", row.start_sample), wanted.get("end_sample", row.end_sample)
        if end - start < LEAST_SAMPLES:  # type: ignore[operator]
            raise EditRefused("caption_too_short")
        return label("caption-changed", at=_at(programme, int(start))), row_change("caption", row, wanted), []


class AddCaption(RowEdit, frozen=True, kw_only=True, tag="caption-add"):
    """Another caption, such as the description of a sound."""

    is_silent = True
    start_sample: Place
    end_sample: Place
    text: Lines

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        if self.end_sample - self.start_sample < LEAST_SAMPLES:
            raise EditRefused("caption_too_short")
        if programme.captions.count() >= MOST_CUES:
            raise EditRefused("too_many_cues", found=MOST_CUES + 1, most=MOST_CUES)
        row = Caption.objects.create(
            programme=programme, start_sample=self.start_sample, end_sample=self.end_sample, text=str(self.text)
        )
        return label("caption-added", at=_at(programme, row.start_sample)), [], [inserted("caption", row)]


class RemoveCaptions(RowEdit, frozen=True, kw_only=True, tag="captions-remove"):
    """Captions removed."""

    is_silent = True
    ids: Ids

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        rows = list(programme.captions.filter(pk__in=[one.number for one in self.ids]))
        if not rows:
            raise NotThere()
        return label("captions-removed", n=len(rows)), [deleted("caption", row) for row in rows], []


class SplitCaption(RowEdit, frozen=True, kw_only=True, tag="caption-split"):
    """A caption made two at a letter of its text; its time by the share of letters."""

    is_silent = True
    id: Id
    at_letter: Samples

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        row = _caption(programme, self.id)
        first, second = row.text[: self.at_letter].strip(), row.text[max(0, self.at_letter) :].strip()
        if not first or not second:
            raise EditRefused("nothing_to_split")
        rules, rate = rules_of(programme), frame_rate(programme.frame_rate)
        middle = row.start_sample + (row.end_sample - row.start_sample) * len(first) // (len(first) + len(second))
        one, two = timed(
            [
                Cue(row.start_sample, middle, _wrapped(first, rules)),
                Cue(middle, row.end_sample, _wrapped(second, rules)),
            ],
            rules,
            rate,
        )
        made = Caption.objects.create(
            programme=programme,
            start_sample=two.start_sample,
            end_sample=max(row.end_sample, two.start_sample + LEAST_SAMPLES),
            text=two.text,
        )
        changes = row_change("caption", row, {"end_sample": min(one.end_sample, two.start_sample), "text": one.text})
        return label("caption-split", at=_at(programme, row.start_sample)), changes, [inserted("caption", made)]


class JoinCaption(RowEdit, frozen=True, kw_only=True, tag="caption-join"):
    """A caption joined with the next."""

    is_silent = True
    id: Id

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        row = _caption(programme, self.id)
        later = programme.captions.filter(start_sample__gte=row.start_sample).exclude(pk=row.pk)
        after = later.order_by("start_sample", "pk").first()
        if after is None:
            raise EditRefused("no_next_caption")
        text = _wrapped(f"{row.text} {after.text}", rules_of(programme))
        wanted = {"end_sample": max(row.end_sample, after.end_sample), "text": text[:1_000]}
        changes = [*row_change("caption", row, wanted), deleted("caption", after)]
        return label("caption-joined", at=_at(programme, row.start_sample)), changes, []


class MendCaptions(RowEdit, frozen=True, kw_only=True, tag="captions-mend"):
    """Captions broken into lines and timed anew by the rules, as far as their neighbours leave room; all unless
    named."""

    is_silent = True
    ids: Ids | None = None

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        rows = list(programme.captions.order_by("start_sample", "pk"))
        if not rows:
            raise EditRefused("no_captions_yet")
        rules, rate = rules_of(programme), frame_rate(programme.frame_rate)
        wanted = timed([Cue(r.start_sample, r.end_sample, _wrapped(r.text, rules)) for r in rows], rules, rate)
        chosen = None if self.ids is None else {one.number for one in self.ids}
        changes: list[Change] = []
        for row, cue in zip(rows, wanted, strict=True):
            if chosen is None or row.pk in chosen:
                fields = {"start_sample": cue.start_sample, "end_sample": cue.end_sample, "text": cue.text}
                changes += row_change("caption", row, fields)
        return label("captions-put-right", n=len(changes)), changes, []


class NameSounds(RowEdit, frozen=True, kw_only=True, tag="captions-sounds"):
    """Captions of sounds from the names of the effects, where no caption stands."""

    is_silent = True

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        taken = [cue.span for cue in cues_of_programme(programme)]
        found = named_sounds(plan_of(programme), taken)
        if not found:
            raise EditRefused("no_sounds_to_name")
        if len(found) + len(taken) > MOST_CUES:
            raise EditRefused("too_many_cues", found=len(found) + len(taken), most=MOST_CUES)
        made = []
        for span, text in found:
            row = Caption.objects.create(
                programme=programme, start_sample=span.start_sample, end_sample=span.end_sample, text=text
            )
            made.append(inserted("caption", row))
        return label("captions-of-sounds", n=len(made)), [], made


class SetRules(RowEdit, frozen=True, kw_only=True, tag="caption-rules"):
    """The rules that captions keep."""

    is_silent = True
    most_characters: Samples
    most_lines: Samples
    most_characters_s: Seconds
    least_s: Seconds
    most_s: Seconds
    gap_frames: Samples

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        names = ("most_characters", "most_lines", "most_characters_s", "least_s", "most_s", "gap_frames")
        given = {name: getattr(self, name) for name in names}
        plain = {n: float(v) if n.endswith("_s") else int(v) for n, v in given.items()}
        try:
            usual, rules = CaptionRules(), CaptionRules(**plain)  # type: ignore[arg-type]
        except RangeError as error:
            raise EditRefused(error.code, **error.facts) from error
        differing = {n: getattr(rules, n) for n in names if abs(getattr(rules, n) - getattr(usual, n)) > 1e-3}
        return label("caption-rules"), row_change("programme", programme, {"caption_rules": differing}), []


def _wrapped(text: str, rules: CaptionRules) -> str:
    words = text.split()
    return "\n".join(lines_of(words, rules.most_characters, rules.most_lines) or [" ".join(words)])


def _caption(programme: Programme, caption_id: Id) -> Caption:
    row = programme.captions.filter(pk=caption_id.number).first()
    if row is None:
        raise NotThere()
    return row


def _at(programme: Programme, at_sample: int) -> str:
    return timecode_from_samples(at_sample, programme.frame_rate)
