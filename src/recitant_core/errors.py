"""Every exception the core and its file layer raise.

RecitantError            facts as fields and a stable ``code``; no sentence for the user
├─ ContractError         a bug in the caller
│  ├─ ShapeError         an array of the wrong shape or type
│  └─ RangeError         a number outside what it can mean
├─ MediaError            a bad file of the user's
│  ├─ UnreadableMedia    cannot be decoded, or holds what is not sound
│  └─ UnsupportedLayout  a number of channels that has no agreed meaning
├─ PlanError             a plan that cannot be carried out: ``field`` tells where
├─ UnknownSpec           no specification has this id
├─ MalformedRequest      data that is not of the shape that was asked for: ``field`` tells where
├─ EditRefused           the timeline cannot take this edit
│  ├─ NotThere           what the edit names is not in the programme
│  └─ StaleRevision      someone else saved first
├─ NotAllowed           the person's role in the workspace does not allow it
├─ WordsUnavailable      no model to hear words with, or none for this language
├─ CaptionError          a caption file that cannot be read: ``line`` tells where
├─ StorageFull           no room left where files are written
└─ Cancelled             a job was told to stop
"""


class RecitantError(Exception):
    """Base of all: a stable code and the facts; the words are made at the edge that shows them."""

    def __init__(self, code: str, **facts: object) -> None:
        super().__init__(code, facts)
        self.code = code
        self.facts = facts


class ContractError(RecitantError):
    """A bug in the caller."""


class ShapeError(ContractError):
    """An array of the wrong shape or type."""


class RangeError(ContractError):
    """A number outside what it can mean."""


class MediaError(RecitantError):
    """A bad file of the user's."""


class UnreadableMedia(MediaError):
    """A file that cannot be decoded, or that holds what is not sound."""


class UnsupportedLayout(MediaError):
    """A number of channels that has no agreed meaning here."""


class PlanError(RecitantError):
    """A plan that cannot be carried out."""


class UnknownSpec(RecitantError):
    """No specification has this id."""


class MalformedRequest(RecitantError):
    """Data that is not of the shape that was asked for."""


class EditRefused(RecitantError):
    """The timeline cannot take this edit."""


class NotThere(EditRefused):
    """Something that the edit names is not in the programme, or not any more."""

    def __init__(self) -> None:
        super().__init__("gone")


class StaleRevision(EditRefused):
    """Someone else saved first; carries both revisions."""


class NotAllowed(RecitantError):
    """The person's role in the workspace does not allow it."""


class WordsUnavailable(RecitantError):
    """No model to hear words with, or none for this language."""


class CaptionError(RecitantError):
    """A caption file that cannot be read."""


class StorageFull(RecitantError):
    """No room is left where files are written."""


class StoreAway(RecitantError):
    """The store of files that several machines share does not answer."""


class Cancelled(RecitantError):
    """A job was told to stop."""
