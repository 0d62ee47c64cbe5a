"""A specification by its id or from a file of one's own."""

from collections.abc import Iterable
from pathlib import Path

from recitant_core.delivery.orders.orders import Wanted
from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.delivery.specification.model import Spec
from recitant_core.delivery.specification.spec_json import spec_from_data
from recitant_core.errors import PlanError
from recitant_io.formats.codecs import wanted_files
from recitant_io.formats.json_file import checked_data


def spec_of_text(text: str) -> Spec:
    """The specification that a command names.

    Args:
        text: an id of the catalogue, or the name of a file, which ends in .json.

    Raises:
        UnknownSpec: no such id. PlanError: a file that is not there or says what a specification cannot.
    """
    if not text.endswith(".json"):
        return spec_by_id(text)
    found = spec_from_data(checked_data(Path(text), "specification"))
    require_files(found)
    return found


def require_files(spec: Spec) -> None:
    """Refuse a specification that asks for files that cannot be written.

    Raises:
        PlanError: a word that names no file, or a bit rate that its codec does not offer; ``field`` is "form.files".
    """
    if not spec.form.files:
        return
    try:
        wanted_files(spec.form.files)
    except PlanError as error:
        raise PlanError(error.code, **error.facts | {"field": "form.files"}) from error


def files_of(spec: Spec) -> Wanted:
    """The files that a specification asks for; mix and stems where it says nothing."""
    return wanted_files(spec.form.files) if spec.form.files else Wanted()


def specs_of_texts(texts: Iterable[str]) -> list[Spec]:
    """The specifications that a command names, each once, in their order.

    Raises:
        UnknownSpec, PlanError: as spec_of_text; two different ones of the same id.
    """
    found: dict[str, Spec] = {}
    for spec in map(spec_of_text, texts):
        if found.setdefault(spec.spec_id, spec) != spec:
            raise PlanError("two_specs_of_one_id", field="id", spec_id=spec.spec_id)
    return list(found.values())
