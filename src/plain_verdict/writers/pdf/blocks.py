"""What a PDF report is made of: data for the template ``report.typ``, which gives each block its form.

A line is spans of text. All texts are data: no text of a result is ever read as markup.
"""

import re
from typing import TypeAlias
from unicodedata import bidirectional

import msgspec

_UNBROKEN = re.compile(r"\S{24}(?=\S{8})")
_BLANKS = re.compile(r"\s+")
_RIGHT_TO_LEFT = ("R", "AL")
BREAK = "\u200b"
"""Where a long word may be broken. The template makes an empty box of it, so that it is not in a copied text."""


class Span(msgspec.Struct, frozen=True, omit_defaults=True):
    """A text in one style. ``fill`` names a colour, ``to`` the id of a heading that it links to."""

    text: str
    fill: str = ""
    bold: bool = False
    mono: bool = False
    to: str = ""


Line: TypeAlias = tuple[Span, ...]


class Heading(msgspec.Struct, frozen=True, tag_field="block", tag="heading"):
    """A heading and a bookmark: of a chapter (level 1), or of a part of it (2)."""

    level: int
    line: Line
    id: str = ""


class Paragraph(msgspec.Struct, frozen=True, tag_field="block", tag="paragraph"):
    """A paragraph; a message stands out. ``with_next`` is on the page of what follows."""

    line: Line
    message: bool = False
    with_next: bool = False


class Items(msgspec.Struct, frozen=True, tag_field="block", tag="items"):
    """Lines below each other, each with how deep it is indented."""

    lines: tuple[tuple[int, Line], ...]


class Table(msgspec.Struct, frozen=True, tag_field="block", tag="table"):
    """A table. ``columns`` has a letter for each: ``w`` takes what width is left, ``l`` and ``r`` as needed."""

    columns: str
    head: tuple[str, ...]
    rows: tuple[tuple[Line, ...], ...]


class Verbatim(msgspec.Struct, frozen=True, tag_field="block", tag="verbatim"):
    """Lines of program text, with their spaces."""

    lines: tuple[str, ...]


class Picture(msgspec.Struct, frozen=True, tag_field="block", tag="picture"):
    """A picture by the name of its file, with its width in mm; a chart is as wide as the text (0)."""

    file: str
    words: str
    """What it shows, for those who can't see it."""
    caption: Line
    width_mm: float = 0.0


class Contents(msgspec.Struct, frozen=True, tag_field="block", tag="contents"):
    """The chapters (id, title), each with its page."""

    chapters: tuple[tuple[str, str], ...]


Block: TypeAlias = Heading | Paragraph | Items | Table | Verbatim | Picture | Contents


class Front(msgspec.Struct, frozen=True):
    """The head of the first page: whose report, of what, and the verdict."""

    logo: str
    """The name of its file; empty if there is none."""
    organisation: str
    title: str
    identity: str
    when: str
    word: str
    fill: str
    why: str
    remarks: tuple[str, ...]


class Document(msgspec.Struct, frozen=True):
    """A whole PDF report. ``colours`` are ``#rrggbb`` by name; ``attached`` is a file with its description."""

    title: str
    author: str
    paper: str
    colours: dict[str, str]
    front: Front
    blocks: tuple[Block, ...]
    attached: tuple[str, str]


def span(text: str, fill: str = "", *, bold: bool = False, mono: bool = False, to: str = "") -> Span:
    """Return a text in one style, with single spaces, and with places to break its long words at."""
    return Span(breakable(_isolated(_BLANKS.sub(" ", text))), fill, bold, mono, to)


def _isolated(text: str) -> str:
    """Return a text that moves nothing around it, if it runs from right to left.

    Source: Unicode Standard Annex 9, section 2.4 (explicit directional isolates).
    """
    if text.isascii() or not any(bidirectional(letter) in _RIGHT_TO_LEFT for letter in text):
        return text
    return f"\N{FIRST STRONG ISOLATE}{text}\N{POP DIRECTIONAL ISOLATE}"


def line(text: str) -> Line:
    """Return a line in one plain style."""
    return (span(text),)


def breakable(text: str) -> str:
    """Return a text with places to break its long words at: a path or a hash would else run over the margin."""
    return _UNBROKEN.sub(rf"\g<0>{BREAK}", text.replace(BREAK, ""))
