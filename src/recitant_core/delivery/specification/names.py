"""Names of delivered files, from a pattern that a delivery sheet asks for."""

import re
from collections.abc import Iterable, Mapping
from typing import Final

from recitant_core.errors import PlanError

FIELDS: Final = ("title", "version", "spec", "role", "lang", "date", "rate")
"""What may stand in braces: of the programme, of its state, of the specification, and of the file."""
MOST_BYTES: Final = 200
"""Of a name with its suffix: file systems take 255, and a partial file has a longer name."""
_FIELD: Final = re.compile(r"\{([^{}]*)\}")
_NOT_IN_NAMES: Final = re.compile(r'[\x00-\x1f\x7f/\\:*?"<>|]+')


def require_pattern(pattern: str) -> None:
    """Refuse a pattern that cannot give a file a name.

    Raises:
        PlanError: a field that there is none of, a brace left over, or a character that leads out of the folder;
            ``field`` is "names".
    """
    for name in _FIELD.findall(pattern):
        if name not in FIELDS:
            raise PlanError("names_unknown_field", field="names", found=name[:60], known=", ".join(FIELDS))
    rest = _FIELD.sub("", pattern)
    if "{" in rest or "}" in rest:
        raise PlanError("names_brace", field="names", found=pattern[:60])
    if _NOT_IN_NAMES.search(rest) or pattern.startswith("."):
        raise PlanError("names_character", field="names", found=pattern[:60])


def file_name(pattern: str, facts: Mapping[str, str], suffix: str) -> str:
    """The name that a pattern gives a file.

    Args:
        pattern: as require_pattern allows it.
        facts: a text for each of FIELDS; what cannot stand in a name is replaced.
        suffix: with its dot.

    Raises:
        PlanError: nothing is left of it, or it is too long; ``field`` is "names".

    >>> file_name("{title}_{role}_{lang}", {"title": "A/B test", "role": "mix", "lang": "eng"}, ".wav")
    'A-B_test_mix_eng.wav'
    """
    stem = _FIELD.sub(lambda found: _clean(facts.get(found[1], "")), pattern).strip(" .")
    if not stem:
        raise PlanError("names_empty", field="names", found=pattern[:60])
    if len(f"{stem}{suffix}".encode()) > MOST_BYTES:
        raise PlanError("names_too_long", field="names", found=f"{stem[:60]}…{suffix}", most=MOST_BYTES)
    return stem + suffix


def require_apart(names: Iterable[str], kept: Iterable[str] = ()) -> None:
    """Refuse two files of one name; names that differ in capitals alone are one on many disks.

    Args:
        kept: names that the delivery itself needs.

    Raises:
        PlanError: the name that two would have; ``field`` is "names".
    """
    seen = {name.casefold() for name in kept}
    for name in names:
        if name.casefold() in seen:
            raise PlanError("names_collide", field="names", found=name)
        seen.add(name.casefold())


def _clean(text: str) -> str:
    return "_".join(_NOT_IN_NAMES.sub("-", text).split())
