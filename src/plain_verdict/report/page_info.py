"""What a page says besides its results: whose it is, its words, how it is to look."""

from datetime import datetime

import msgspec

from plain_verdict.model import Fact, Masked
from plain_verdict.report.brand import Brand
from plain_verdict.report.extension_sections import ShownSection
from plain_verdict.settings.choices import ChecksShown, Theme


class PageInfo(msgspec.Struct, frozen=True):
    """What the user chose for the page.

    ``made`` is when it is made, with a zone; ``title`` "" is the results' own. ``masked`` counts the secrets that
    were masked in these words. ``index`` is the way to the page over all pages, or "".
    ``reload_s``: it is made again and again, and loads itself so often.
    """

    made: datetime
    title: str = ""
    description: str = ""
    facts: tuple[Fact, ...] = ()
    brand: Brand = Brand()
    theme: Theme = Theme.AUTO
    only: ChecksShown = ChecksShown.ALL
    masked: Masked = Masked()
    notes: tuple[str, ...] = ()
    index: str = ""
    reload_s: int = 0
    settings: str = ""
    """The fingerprint of what settings and options say of reading and judging; "" where nobody asks for it."""
    sections: tuple[ShownSection, ...] = ()
    """Those that extensions add."""

    @property
    def section_trouble(self) -> tuple[str, ...]:
        """Return why sections of extensions could not be built."""
        return tuple(section.trouble for section in self.sections if section.trouble)
