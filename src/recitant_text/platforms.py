"""What platforms do to a mix, in words."""

from collections.abc import Mapping, Sequence
from typing import Any, Final

from recitant_text.sentences import signed

PLATFORM_WORDS: Final = {
    "turns-down": "a player that turns loud uploads down",
    "turns-both": "a player that lifts quiet ones too",
    "broadcast": "a broadcast chain with a limiter of its own",
}
_LEAST_DB: Final = 0.05


def platform_sentence(found: Mapping[str, Any]) -> str:
    """Sentence on the loudness that viewers hear; ``found`` is platforms.PlatformResult as JSON data."""
    if found["heard_lufs"] is None:
        return "nothing to hear"
    words = [f"{signed(found['heard_lufs'])} LUFS"]
    if abs(found["turned_db"]) >= _LEAST_DB:
        words.append(f"turned {'down' if found['turned_db'] < 0 else 'up'} by {signed(abs(found['turned_db']))} dB")
    if found["most_reduction_db"] >= _LEAST_DB:
        share = 100.0 * found["limited_share"]
        words.append(f"limited by up to {signed(found['most_reduction_db'])} dB for {share:.1f} % of the time")
    return ", ".join(words) if len(words) > 1 else f"{words[0]}, untouched"


def platform_rows(
    heard: Sequence[Mapping[str, Any]], as_balanced: Sequence[Mapping[str, Any]]
) -> list[tuple[str, str, str]]:
    """For each platform its name, what viewers hear of the delivery, and what of the mix as balanced."""
    return [
        (PLATFORM_WORDS[one["platform"]], platform_sentence(one), platform_sentence(before))
        for one, before in zip(heard, as_balanced, strict=True)
    ]
