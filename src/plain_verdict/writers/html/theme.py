"""How the page looks: logos, icon and the brand's CSS, ready for the templates."""

from base64 import b64encode
from collections.abc import Iterator
from urllib.parse import quote

import msgspec
from markupsafe import Markup

from plain_verdict.model import VerdictWord
from plain_verdict.report.brand import Brand
from plain_verdict.report.brand.brand import Logo
from plain_verdict.report.brand.tokens import SIGN, colour_of
from plain_verdict.text.media_types import SUFFIXES


class ThemeLogo(msgspec.Struct, frozen=True):
    """A logo of the band: ``file`` in a folder, ``url`` in one file, ``classes`` for the stylesheet."""

    file: str
    url: str
    width: int
    height: int
    classes: str


class PageTheme(msgspec.Struct, frozen=True):
    """How the page looks. ``css`` is what the brand adds to the stylesheet; ``files`` are for a folder."""

    logos: tuple[ThemeLogo, ...]
    css: Markup
    icon: str
    icon_suffix: str
    files: tuple[tuple[str, bytes], ...]


def make_theme(brand: Brand, word: VerdictWord) -> PageTheme:
    """Return how a page of the brand looks that gives the verdict ``word``."""
    logos = [logo for logo in (brand.logo, brand.logo_dark) if logo]
    themed = [_with_file(brand, logo) for logo in logos]
    icon = brand.logo.icon if brand.logo else b""
    svg = _icon(word)
    files = [(themed_logo.file, logo.data) for themed_logo, logo in zip(themed, logos, strict=True)]
    files.append(("icon.png", icon) if icon else ("icon.svg", svg.encode()))
    return PageTheme(
        logos=tuple(themed),
        css=_css(brand),
        icon=_url("image/png", icon) if icon else "data:image/svg+xml," + quote(svg),
        icon_suffix="png" if icon else "svg",
        files=tuple(files),
    )


def _css(brand: Brand) -> Markup:
    accents = [("--accent-light", brand.accent_light), ("--accent-dark", brand.accent_dark)]
    declared = "".join(f"{name}: {value}; " for name, value in accents if value)
    css = f":root {{ {declared}}}\n" if declared else ""
    if brand.stylesheet:
        css += f"@layer brand {{\n{brand.stylesheet.strip()}\n}}\n"
    return Markup(css.strip())  # noqa: S704  checked when it was read: CSS that can't end its element


def _with_file(brand: Brand, logo: Logo) -> ThemeLogo:
    dark = brand.logo is not None and logo is brand.logo_dark
    suffix = SUFFIXES[logo.media_type]
    name = f"logo{'-dark' if dark else ''}.{suffix}"
    classes = " ".join(_classes(logo, alone=brand.logo is None or brand.logo_dark is None, dark=dark))
    return ThemeLogo(name, _url(logo.media_type, logo.data), logo.width, logo.height, classes)


def _classes(logo: Logo, *, alone: bool, dark: bool) -> Iterator[str]:
    """Yield the ground that a logo is for, and the grounds on which it needs its own plate."""
    if not alone:
        yield "on-dark" if dark else "on-light"
    if logo.lost_on_light and not dark:
        yield "plate-light"
    if logo.lost_on_dark and (dark or alone):
        yield "plate-dark"


def _url(media_type: str, data: bytes) -> str:
    return f"data:{media_type};base64,{b64encode(data).decode()}"


def _icon(word: VerdictWord) -> str:
    """Return the icon of a page without a logo: the verdict's sign on its colour."""
    sign = {
        VerdictWord.FIT: "M8 17l6 6 11-13",
        VerdictWord.NOT_FIT: "M9 9l14 14M23 9L9 23",
        VerdictWord.UNDECIDED: "M8 16h16",
    }[word]
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 32 32">'
        f'<rect width="32" height="32" rx="5" fill="{colour_of(word)}"/>'
        f'<path d="{sign}" fill="none" stroke="{SIGN}" stroke-width="4"/></svg>'
    )
