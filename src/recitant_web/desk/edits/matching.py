"""Edits that bring the tone of takes to one another."""

from dataclasses import replace

from recitant_core.balance.steps.match import takes_of_speakers, tones_of_clips
from recitant_core.balance.tone_match import LEAST_SPEECH_S, ToneMatch, matched, middle_tone
from recitant_core.errors import EditRefused, NotThere
from recitant_core.timeline.edits import clips_by_id, set_clips
from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB, Clip, Plan
from recitant_text.steps import Label, label
from recitant_web.desk.edits.labels import clip_fact, clips_fact
from recitant_web.desk.edits.registry import PlanEdit
from recitant_web.desk.energies import known_source
from recitant_web.desk.mapping.speech import speech_of
from recitant_web.programme.models import Programme
from recitant_web.shared.shapes import Ids


class MatchTone(PlanEdit, frozen=True, kw_only=True, tag="match-tone"):
    """Takes brought to the tone of one of them, or each to the middle of its speaker's takes; their levels stay."""

    ids: Ids
    to_id: str = ""
    """Clip whose tone the others take; empty for the middle."""

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        known = clips_by_id(plan)
        wanted = [clip_id for clip_id in self.ids if clip_id != self.to_id]
        if not wanted or not {*self.ids, *([self.to_id] if self.to_id else [])} <= known.keys():
            raise NotThere()
        found = self._matches(programme, plan, [known[clip_id][1] for clip_id in wanted])
        after = set_clips(plan, list(found), lambda clip: _with_match(clip, found[clip.clip_id]))
        to = clip_fact(plan, self.to_id) if self.to_id else None
        alone = next(iter(found.values())) if len(found) == 1 else None
        match = None if alone is None else [alone.most_db, alone.at_hz, alone.room_db]
        return after, label("tone-matched", what=clips_fact(plan, list(found)), to=to, match=match)

    def _matches(self, programme: Programme, plan: Plan, clips: list[Clip]) -> dict[str, ToneMatch]:
        speakers = {clip.clip_id: mine for mine in takes_of_speakers(plan).values() for clip in mine}
        known = clips_by_id(plan)
        heard = {clip.clip_id: clip for clip in clips}
        if self.to_id:
            heard[self.to_id] = known[self.to_id][1]
        else:
            heard |= {one.clip_id: one for clip in clips for one in speakers.get(clip.clip_id, [])}
        sources = {clip.source_key: known_source(clip.source_key) for clip in heard.values()}
        tones = tones_of_clips(list(heard.values()), sources, speech_of(programme))
        if self.to_id and self.to_id not in tones:
            raise EditRefused("too_little_speech", clip=known[self.to_id][1].name, least_s=LEAST_SPEECH_S)
        found, n_measured = {}, 0
        for clip in clips:
            others = [self.to_id] if self.to_id else [one.clip_id for one in speakers.get(clip.clip_id, [])]
            takes = [tones[one] for one in others if one in tones]
            if clip.clip_id not in tones or not takes or (not self.to_id and len(takes) < 2):
                continue
            n_measured += 1
            match = matched(tones[clip.clip_id], middle_tone(takes), clip.chain)
            if match is not None and match.chain != clip.chain:
                found[clip.clip_id] = match
        if not found:
            raise EditRefused("tones_match" if n_measured else "no_takes_to_match", least_s=LEAST_SPEECH_S)
        return found


def _with_match(clip: Clip, match: ToneMatch) -> Clip:
    had = any(one.kind == "equaliser" for one in clip.chain)
    # Matched again, the level has moved already.
    by_db = 0.0 if had else match.gain_db
    gain_db = round(min(MOST_GAIN_DB, max(LEAST_GAIN_DB, clip.gain_db + by_db)), 2)
    moved = gain_db - clip.gain_db
    record = clip.balanced
    if record is not None:
        # The level stays what a first balance made of it: no hand moved it.
        record = replace(record, from_db=record.from_db + moved, to_db=record.to_db + moved)
    return replace(clip, chain=match.chain, gain_db=gain_db, balanced=record)
