"""Where things are: in one file everything is a fragment, in a folder each thing has its own file."""

import re
import unicodedata
from collections.abc import Sequence
from urllib.parse import quote

import msgspec
from markupsafe import Markup

from plain_verdict.model import Check, Content, ContentKind
from plain_verdict.model.marks import FIRST_PAGE
from plain_verdict.text.media_types import SUFFIXES
from plain_verdict.writers.html.checks.escaping import escaped


class Links(msgspec.Struct, frozen=True):
    """The links of one page. ``pages`` gives the file that each check stands in, by id; one absent is on no page.

    None: all stand on this page. ``page`` is the page's own file; "" in the layout of one file, where ``pages``
    gives "" for each check.
    """

    pages: dict[str, str] | None
    page: str = ""

    @property
    def folder(self) -> bool:
        """Return whether pictures and pages are files of their own."""
        return bool(self.page)

    @property
    def up(self) -> str:
        """Return the way from this page to the top folder."""
        return "../" * self.page.count("/")

    @property
    def first(self) -> str:
        """Return the way from this page to the first one of the folder."""
        return self.up + FIRST_PAGE

    def check(self, check: Check) -> str:
        """Return the link to a check; "" for one that is on no page."""
        if self.pages is None:
            return f"#{check.id}"
        if check.id not in self.pages:
            return ""
        page = self.pages[check.id]
        return f"#{check.id}" if page == self.page else f"{self.up}{page}#{check.id}"

    def home(self, fragment: str) -> str:
        """Return the link to a part of the first page."""
        return f"{self.first}#{fragment}" if self.folder and self.page != FIRST_PAGE else f"#{fragment}"

    def file(self, content: Content) -> str:
        """Return the link to a content's own file."""
        return self.up + file_of(content)

    def at(self, page: str) -> "Links":
        """Return the links as seen from another page."""
        return Links(self.pages, page)


def file_of(content: Content) -> str:
    """Return the name of a content's own file; what no browser shows gets a suffix that no server runs."""
    folder = "pictures" if content.kind is ContentKind.PICTURE else "files"
    # An SVG opened by itself could run: it is drawn.
    media_type = "image/png" if content.media_type == "image/svg+xml" else content.media_type
    return f"{folder}/{content.key}.{SUFFIXES.get(media_type, 'bin')}"


def suite_files(suites: Sequence[tuple[tuple[str, ...], int]], most_checks: int) -> list[list[str]]:
    """Return the files of each suite's checks: one for each ``most_checks`` of them, at least one."""
    files = []
    for number, (path, checks) in enumerate(suites, 1):
        text = unicodedata.normalize("NFKD", "-".join(path)).encode("ascii", "ignore").decode().lower()
        name = f"{number:04}-{re.sub(r'[^a-z0-9]+', '-', text).strip('-')[:60] or 'checks'}"
        parts = max(1, -(-checks // most_checks))
        files.append([f"suites/{name}{f'-{part}' if part > 1 else ''}.html" for part in range(1, parts + 1)])
    return files


def way(target: str) -> Markup:
    """Return the attributes of a link to a section by its id, or to a view of the list of checks: ``show=failed``.

    Without the script, a view leads to the list.
    """
    if "=" in target:
        return Markup(f'href="#every" data-view="{escaped(target)}"')  # noqa: S704  escaped
    return Markup(f'href="#{escaped(target)}"')  # noqa: S704  escaped


def only(key: str, value: str) -> str:
    """Return the view of the checks that have a value of a facet."""
    return f"only={quote(key, safe='')}:{quote(value, safe='')}"
