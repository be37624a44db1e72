"""Errors with a sentence that the person who caused them can act on."""


class RoofLineError(Exception):
    """Base of all errors that are told to the user as they are.

    ``code`` is the HTTP status under which the server reports it.
    """

    code = 422


class SurveyError(RoofLineError):
    """The edges, lengths or priors of a survey do not give a camera."""


class MassingError(RoofLineError):
    """A construction through the photo has no sensible result."""


class PlateError(RoofLineError):
    """A plate cannot be made or thrown as asked."""


class MoveError(RoofLineError):
    """The move cannot be evaluated or changed as asked."""


class FormatError(RoofLineError):
    """A file is not what it should be."""

    code = 415


class PackageError(FormatError):
    """A shot package is incomplete or malformed."""

    code = 422


class Damaged(RoofLineError):
    """A file of the data folder is not what it was when it was brought."""


class NotFound(RoofLineError):
    """Something asked for by id is not there."""

    code = 404


class Conflict(RoofLineError):
    """The request does not fit what is there now."""

    code = 409


class Busy(RoofLineError):
    """What is needed is taken just now; asking again in a while helps."""

    code = 503


class Unshowable(RoofLineError):
    """A change would leave something in the shot that cannot be worked out or shown."""


class FolderHeld(RoofLineError):
    """Another program has the data folder. ``address``: where it answers, if it has said so."""

    code = 503

    def __init__(self, text: str, address: str | None = None):
        super().__init__(text)
        self.address = address


class FolderGone(Busy):
    """The data folder is not where it was, or cannot be written to; nothing was changed."""
