"""What online video does not take of a list of chapters, in words."""

from collections.abc import Sequence
from typing import Final

from recitant_core.delivery.orders.chapters import LEAST_CHAPTERS, LEAST_LENGTH_S, Chapter, ChapterFault, time_text

_WORDS: Final = {
    "few": f"Online video asks for {LEAST_CHAPTERS} chapters at least.",
    "first": "The first chapter must begin at 0:00.",
    "title": "The chapter at {at} has no title.",
    "late": "{title} begins at {at}, behind the end.",
    "order": "{title} at {at} stands behind a later one.",
    "short": f"{{title}} at {{at}} is shorter than {LEAST_LENGTH_S} s.",
}


def fault_sentence(fault: ChapterFault, chapters: Sequence[Chapter]) -> str:
    """A fault of one chapter, or of all of them."""
    if fault.index is None or fault.index >= len(chapters):
        return _WORDS[fault.code].format(at="", title="")
    chapter = chapters[fault.index]
    return _WORDS[fault.code].format(at=time_text(chapter.at_sample), title=f"“{chapter.title}”")
