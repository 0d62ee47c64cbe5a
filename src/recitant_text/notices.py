"""What pages and jobs tell that is no refusal: how work ended, what is missing, what is not there."""

from collections.abc import Sequence
from typing import Final

from recitant_core.units.timecode import frames_from_samples

_NOTICES: Final = {
    # Of jobs.
    "stopped": "Stopped as you asked.",
    "given_up": "This stopped five times before its end. Nothing is lost; tell us about it.",
    "crashed": "This stopped because of a fault of ours. Try again; nothing is lost.",
    "done": "Done.",
    "measured": "Measured.",
    "listened": "Heard.",
    "words_heard": "The words are there.",
    "mix_listened_to": "The mix was listened to.",
    "balanced_before": "Balanced.",
    "light_copy": "The light copy is there.",
    "source_ready": "{file} is ready.",
    "source_is_picture": "{file} is the picture.",
    "picture_without_sound": "The picture of the programme. It brings no sound.",
    # Of pages.
    "not_found_title": "Not found",
    "not_found": "There is nothing here that you can see. It may have been removed, or belong to another workspace.",
    "our_fault_title": "Our fault",
    "our_fault": "Something went wrong on our side. What you had is kept as it was. Load the page again.",
    "away_title": "Back in a moment",
    "away": "The database starts again just now. Nothing was changed; try the same again in a few seconds.",
    "database_full_title": "No room left",
    "database_full": "The disk is full. Nothing was changed, nothing is lost; free some room and try the same again.",
    "too_much_sent": "This is too large to send here; {most_mb} MB are the limit. Send less at a time.",
    "odd": "The request can’t be read. Reload the page and try again.",
    "refused_title": "That did not work",
    "demo_under_way": "The demo programmes are being prepared. They appear here in about a minute.",
    "demo_not_made": "The demo’s recordings couldn’t be made. Your own programmes aren’t affected.",
    "demo_not_loaded": "The demo couldn’t be loaded. Your own programmes aren’t affected; the log has the details.",
    "library_not_loaded": "The effects library couldn’t be loaded. The log has the details.",
    "no_workspace": "You belong to no workspace yet; ask who runs this Recitant to add you.",
    "no_title": "Give it a title.",
    "needed": "This is needed.",
    "no_number": "This is not a number.",
    "from_to": "From {least} to {most}.",
    "no_take": "No recording arrived. Try again.",
    "no_sound_file": "No file arrived. Choose one and send it again.",
    "no_place": "That is no place in the programme.",
    # Names of things inside other sentences, and of what is made.
    "the_file": "The file",
    "the_delivery": "The delivery",
    "the_request": "What you send",
    "copy_of": "{title}, copy",
    "take_file": "Narration take {number}.wav",
}


def notice(notice_id: str, **facts: str | int) -> str:
    """The words of a notice.

    Raises:
        KeyError: no such notice, or a fact is missing.
    """
    return _NOTICES[notice_id].format(**facts)


def laid_words(n_files: int, n_tracks: int, n_at_once: int, *, is_by_time: bool) -> str:
    """Sentence on files that are laid out.

    Args:
        n_at_once: how many of them sound together at the most.
        is_by_time: whether they lie at their time of day.
    """
    tracks = "one track" if n_tracks == 1 else f"{n_tracks} tracks"
    files = "1 file" if n_files == 1 else f"{n_files} files"
    if is_by_time:
        return f"{files} where their time of day puts them; files without one follow at the end."
    if n_at_once <= 1:
        return f"{files} on {tracks}, one after another."
    return f"{files} on {tracks}; up to {n_at_once} sound at the same time."


def off_words(off_samples: int, frame_rate: str) -> str:
    """Offset of a clip against the picture in words: 264 frames late.

    Args:
        off_samples: negative for earlier; not 0.
        frame_rate: name of the programme's.
    """
    frames = abs(frames_from_samples(off_samples, frame_rate))
    way = "late" if off_samples > 0 else "early"
    if frames < 0.1:
        n = abs(off_samples)
        return f"{n} {'sample' if n == 1 else 'samples'} {way}"
    text = f"{frames:.1f}".removesuffix(".0")
    return f"{text} {'frame' if text == '1' else 'frames'} {way}"


def out_of_sync_words(name: str, off_samples: int, frame_rate: str) -> str:
    """Sentence on a clip that is tied to the picture and does not lie where the picture has it."""
    return f"{name} is {off_words(off_samples, frame_rate)} against the picture."


SURE_ALIGNMENT: Final = 0.5


def is_alignment_sure(confidence: float) -> bool:
    """Whether two recordings probably hold the same event.

    Args:
        confidence: 0 to 1, see recitant_core.measure.similarity.align.
    """
    return confidence >= SURE_ALIGNMENT


def alignment_words(moves: str, stays: str, by_s: float, confidence: float, *, moves_picture_sound: bool) -> str:
    """Words on lining one clip up with another by their sound.

    Args:
        moves, stays: names of the clips.
        by_s: how far the first would move; later is positive.
        moves_picture_sound: whether the one that would move is the picture's own sound.
    """
    if abs(by_s) < 0.5e-3:
        words = f"{moves} lies in step with {stays} already"
    else:
        words = f"{moves} would move {abs(by_s):.3f} s {'later' if by_s > 0 else 'earlier'}; {stays} stays"
    words += f". Confidence {100 * confidence:.0f} %"
    if not is_alignment_sure(confidence):
        words += ": probably not the same event"
    words += "."
    if moves_picture_sound and abs(by_s) >= 0.5e-3:
        words += f" {moves} is the picture's own sound: moved, it no longer fits the lips. Swap them instead."
    return words


def recorder_words(sounding: Sequence[str], silent: Sequence[str]) -> str:
    """Words on the channels of a recorder file.

    Args:
        sounding, silent: names of the channels.
    """
    n = len(sounding) + len(silent)
    if not sounding:
        return f"All of its {n} channels are silent."
    words = f"{n} channels of one recorder file, held as one clip: {', '.join(sounding)}."
    return words + (f" Silent and left out: {', '.join(silent)}." if silent else "")
