"""How the page looks: logos, icon and the brand's CSS, ready for the templates."""

from base64 import b64encode
from urllib.parse import quote

import msgspec
from markupsafe import Markup

from plain_verdict.brand import Brand
from plain_verdict.brand.logo import Logo
from plain_verdict.model import Word
from plain_verdict.page.tokens import colour_of

_SUFFIXES = {"image/png": "png", "image/webp": "webp", "image/svg+xml": "svg"}


class DressedLogo(msgspec.Struct, frozen=True):
    """A logo of the band: ``file`` in a folder, ``url`` in one file, ``shown`` its classes."""

    file: str
    url: str
    width: int
    height: int
    shown: str


class Dress(msgspec.Struct, frozen=True):
    """What the page wears. ``css`` is what the brand adds to the stylesheet; ``files`` are for a folder."""

    logos: tuple[DressedLogo, ...]
    css: Markup
    icon: str
    icon_suffix: str
    files: tuple[tuple[str, bytes], ...]


def make_dress(brand: Brand, word: Word) -> Dress:
    """Return how a page of the brand looks that gives the verdict ``word``."""
    logos = [logo for logo in (brand.logo, brand.logo_dark) if logo]
    dressed = [_dressed(brand, logo) for logo in logos]
    icon = brand.logo.icon if brand.logo else b""
    svg = _icon(word)
    files = [(one.file, logo.data) for one, logo in zip(dressed, logos, strict=True)]
    files.append(("icon.png", icon) if icon else ("icon.svg", svg.encode()))
    accents = [("--accent-light", brand.accent_light), ("--accent-dark", brand.accent_dark)]
    css = "".join(f"{name}: {value}; " for name, value in accents if value)
    css = f":root {{ {css}}}\n" if css else ""
    if brand.stylesheet:
        css += f"@layer brand {{\n{brand.stylesheet.strip()}\n}}\n"
    return Dress(
        logos=tuple(dressed),
        css=Markup(css.strip()),  # noqa: S704  checked when it was read: CSS that can't end its element
        icon=_url("image/png", icon) if icon else "data:image/svg+xml," + quote(svg),
        icon_suffix="png" if icon else "svg",
        files=tuple(files),
    )


def _dressed(brand: Brand, logo: Logo) -> DressedLogo:
    several = brand.logo is not None and brand.logo_dark is not None
    dark = several and logo is brand.logo_dark
    shown = [("on-dark" if dark else "on-light")] if several else []
    shown += ["plate-light"] if logo.lost_on_light and not dark else []
    shown += ["plate-dark"] if logo.lost_on_dark and (dark or not several) else []
    name = f"logo{'-dark' if dark else ''}.{_SUFFIXES[logo.media_type]}"
    return DressedLogo(name, _url(logo.media_type, logo.data), logo.width, logo.height, " ".join(shown))


def _url(media_type: str, data: bytes) -> str:
    return f"data:{media_type};base64,{b64encode(data).decode()}"


def _icon(word: Word) -> str:
    """Return the icon of a page without a logo: the verdict's sign on its colour."""
    sign = {Word.FIT: "M8 17l6 6 11-13", Word.NOT_FIT: "M9 9l14 14M23 9L9 23", Word.UNDECIDED: "M8 16h16"}[word]
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 32 32">'
        f'<rect width="32" height="32" rx="5" fill="{colour_of(word)}"/>'
        f'<path d="{sign}" fill="none" stroke="#fff" stroke-width="4"/></svg>'
    )
