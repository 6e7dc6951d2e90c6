"""Colours that can be read: contrast by WCAG, and an accent nudged until it passes."""

from plain_verdict.report.brand.tokens import GROUND_DARK, GROUND_LIGHT, grounds
from plain_verdict.runtime.errors import UsageError

Colour = tuple[int, int, int]
"""Red, green and blue, 0 to 255 each."""

_TEXT_CONTRAST = 4.5  # Source: WCAG 2.2, success criterion 1.4.3 (AA)
_SHADE_STEPS = 200  # from white to black: no eye sees half a step


def _parsed(colour: str) -> Colour:
    return int(colour[1:3], 16), int(colour[3:5], 16), int(colour[5:7], 16)


LIGHT_GROUNDS: tuple[Colour, ...] = tuple(map(_parsed, grounds(GROUND_LIGHT)))
"""What links stand on in light pages."""
DARK_GROUNDS: tuple[Colour, ...] = tuple(map(_parsed, grounds(GROUND_DARK)))


def read_colour(text: str) -> Colour:
    """Return a colour written as CSS does: ``#155e8a``, ``steelblue``, ``rgb(21, 94, 138)``. Raises UsageError."""
    from PIL import ImageColor  # a large library, for pictures only

    try:
        red, green, blue = ImageColor.getrgb(text.strip())[:3]
    except ValueError as error:
        raise UsageError(
            f"{text[:40]!r} is not a colour", where="brand.accent", hint="write it like #155e8a"
        ) from error
    return red, green, blue


def luminance(colour: Colour) -> float:
    """Return the relative luminance, 0 to 1. Source: WCAG 2.2, relative luminance."""

    def linear(channel: int) -> float:
        share = channel / 255
        return share / 12.92 if share <= 0.04045 else float(((share + 0.055) / 1.055) ** 2.4)

    red, green, blue = map(linear, colour)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def contrast(colour: Colour, other: Colour) -> float:
    """Return the contrast ratio, 1 to 21. Source: WCAG 2.2, contrast ratio."""
    darker, lighter = sorted((luminance(colour), luminance(other)))
    return (lighter + 0.05) / (darker + 0.05)


def readable(colour: Colour, grounds: tuple[Colour, ...]) -> Colour:
    """Return the colour, moved towards black or white only as far as text in it needs on every ground."""
    target = 0 if luminance(grounds[0]) > 0.5 else 255
    for step in range(_SHADE_STEPS + 1):
        red, green, blue = (round(channel + (target - channel) * step / _SHADE_STEPS) for channel in colour)
        if all(contrast((red, green, blue), ground) >= _TEXT_CONTRAST for ground in grounds):
            return red, green, blue
    return target, target, target


def written(colour: Colour) -> str:
    """Return the colour as ``#rrggbb``."""
    return "#{:02x}{:02x}{:02x}".format(*colour)
