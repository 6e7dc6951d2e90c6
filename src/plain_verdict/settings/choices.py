"""Closed sets that settings and options choose from."""

from enum import StrEnum
from typing import NamedTuple


class Theme(StrEnum):
    """The page's colours: as the reader's system has them, or always the same."""

    AUTO = "auto"
    LIGHT = "light"
    DARK = "dark"


class ChecksShown(StrEnum):
    """Which checks stand on the page; the numbers count all."""

    ALL = "all"
    FAILED = "failed"


class EvidenceOf(StrEnum):
    """Whose evidence goes into the page."""

    ALL = "all"
    FAILED = "failed"
    NONE = "none"


class TablesAs(StrEnum):
    """How tables in a folder are written: for spreadsheets, with a byte order mark, cells as they are, Parquet."""

    CSV = "csv"
    CSV_BOM = "csv-bom"
    CSV_RAW = "csv-raw"
    PARQUET = "parquet"


class When(StrEnum):
    """When somebody is notified of a run."""

    ALWAYS = "always"
    NOT_FIT = "not fit"
    CHANGED = "changed"
    NEW = "new"


class PaperSize(StrEnum):
    """The size of a paper."""

    A4 = "A4"
    LETTER = "letter"


class Option(NamedTuple):
    """How a key of the settings is given on the command line. ``group`` is the part of the help it stands in.

    ``repeats``: it may come again and adds to what came before. ``metavar`` "" is for keys with closed values.
    """

    flag: str
    help: str
    metavar: str = ""
    group: str = ""
    repeats: bool = False
