"""Tells our own files from all others, by the marks in them."""

from pathlib import Path

from plain_verdict.history.pages import meta_of
from plain_verdict.model.marks import FIRST_PAGE, MAIL_MARK, PAGE_MARK

_META_BYTES = 4000  # the mark stands in the head of the page, before its style


def is_our_mail(path: Path) -> bool:
    """Return whether a file is a digest that this tool wrote."""
    with path.open("rb") as opened:
        return MAIL_MARK.encode() in opened.read(_META_BYTES)


def is_ours(page: Path) -> bool:
    """Return whether a file or folder is a page that this tool made."""
    return made_when(page) is not None


def made_when(page: Path) -> str | None:
    """Return when a page, or a page in a folder, was made, as ISO 8601; None for anything else."""
    mark = meta_of(page / FIRST_PAGE if page.is_dir() else page, PAGE_MARK)
    return mark.removeprefix("made ") if mark is not None else None
