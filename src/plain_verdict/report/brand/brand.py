"""A brand, read and ready: what pages and mails show of it."""

import msgspec

from plain_verdict.text.patterns import pattern

_MAIL = pattern(r"[^\s@<>\"]+@[^\s@<>\"]+\.[^\s@<>\"]+")


class Logo(msgspec.Struct, frozen=True):
    """A logo made fit. Sizes are CSS pixels; ``png`` is the same as a picture that mail programs show."""

    data: bytes
    media_type: str
    width: int
    height: int
    png: bytes
    icon: bytes
    """A small square picture, PNG; empty where the logo is no such shape."""
    lost_on_light: bool
    """Whether it can't be seen on light paper without its own plate."""
    lost_on_dark: bool


class Brand(msgspec.Struct, frozen=True):
    """Whose page it is. Accents are ``#rrggbb``, "" for the page's own; ``notes`` say what was changed."""

    organisation: str = ""
    logo: Logo | None = None
    logo_dark: Logo | None = None
    accent_light: str = ""
    accent_dark: str = ""
    footer: str = ""
    link: str = ""
    contact: str = ""
    stylesheet: str = ""
    notes: tuple[str, ...] = ()

    @property
    def contact_link(self) -> str:
        """Return the contact as a link: an address for mail, or a link as it is."""
        return f"mailto:{self.contact}" if self.mail_address else self.contact

    @property
    def mail_address(self) -> str:
        """Return the contact where it is an address for mail, else ""."""
        return self.contact if _MAIL.fullmatch(self.contact) else ""
