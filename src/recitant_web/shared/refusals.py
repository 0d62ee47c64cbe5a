"""What a user did that cannot be done, as a sentence for the page that it was done on."""

from collections.abc import Callable

from recitant_core.errors import ContractError, RecitantError
from recitant_text.sentences import sentence


def words_of_refusal(work: Callable[[], object]) -> str:
    """Do something; why it was refused, or nothing where it was done."""
    try:
        work()
    except ContractError:
        raise
    except RecitantError as error:
        return sentence(error)
    return ""
