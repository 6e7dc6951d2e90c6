"""Everything that can go wrong for a user, as one small tree of errors.

PlainVerdictError
├── UsageError        the command line asks for something that can't be done
├── ReadError         a result file can't be read
│   └── UnknownFormat it is not one of the formats that the readers know
├── WriteError        the page can't be written
├── HistoryError      earlier runs can't be read or kept
├── ExtensionError    an installed extension can't be used
├── EngineFailed      the cluster that was to read is gone, or can't be used
└── DeliveryError     the report did not get where it was sent
"""


class PlainVerdictError(Exception):
    """What went wrong, where, and what to do about it; shown to users in one or two lines.

    ``path`` is the file as the user named it, ``where`` is free text inside it (a line, a byte, a JSON path).
    """

    def __init__(self, what: str, *, path: str = "", where: str = "", hint: str = "") -> None:
        super().__init__(what)
        self.what = what
        self.path = path
        self.where = where
        self.hint = hint


class UsageError(PlainVerdictError):
    """The command line asks for something that can't be done."""


class ReadError(PlainVerdictError):
    """A result file can't be read."""


class UnknownFormat(ReadError):  # noqa: N818  the name says which case it is
    """The file is not one of the formats that the readers know."""


class WriteError(PlainVerdictError):
    """The page can't be written."""


class HistoryError(PlainVerdictError):
    """Earlier runs can't be read, or this one can't be kept."""


class ExtensionError(PlainVerdictError):
    """An installed extension can't be used, or failed; the program's own parts work without it."""


class EngineFailed(PlainVerdictError):  # noqa: N818  as above
    """The cluster that was to read is gone, or can't be used: nothing could be read."""


class DeliveryError(PlainVerdictError):
    """The report did not get where it was sent; the page itself is written."""
