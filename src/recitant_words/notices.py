"""What pages and jobs tell that is no refusal: how work ended, what is missing, what is not there."""

from typing import Final

_NOTICES: Final = {
    # Of jobs.
    "stopped": "Stopped as you asked.",
    "given_up": "This stopped three times before its end. Nothing is lost; tell us about it.",
    "crashed": "This stopped because of a fault of ours. Try again; nothing is lost.",
    "measured": "Measured.",
    "listened": "Heard.",
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
    "refused_title": "That did not work",
    "no_workspace": "You belong to no workspace yet; ask who runs this Recitant to add you.",
    "no_title": "Give it a title.",
    "no_spec": "Choose at least one specification.",
    "no_take": "No recording arrived. Try again.",
    "no_sound_file": "No file arrived. Choose one and send it again.",
    "no_place": "That is no place in the programme.",
    # Names of things inside other sentences, and of what is made.
    "the_file": "The file",
    "the_delivery": "The delivery",
    "the_request": "What you send",
    "take_file": "Narration take {number}.wav",
}


def notice(notice_id: str, **facts: str | int) -> str:
    """The words of a notice.

    Raises:
        KeyError: no such notice, or a fact is missing.
    """
    return _NOTICES[notice_id].format(**facts)


def balanced(n_left: int) -> str:
    """How the first balance ended.

    Args:
        n_left: close passages that are left.
    """
    return f"Balanced; {n_left} close passage(s) left." if n_left else "Balanced; speech is clear everywhere."
