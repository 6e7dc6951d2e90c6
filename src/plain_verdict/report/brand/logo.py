"""Fits a logo of any size and shape into the band: trimmed, scaled down, never stretched, never enlarged."""

from collections import Counter
from io import BytesIO
from pathlib import Path

from PIL import Image, ImageChops, ImageFile, ImageOps

from plain_verdict.report.brand.brand import Logo
from plain_verdict.report.brand.colour import DARK_GROUNDS, LIGHT_GROUNDS, Colour, contrast, luminance
from plain_verdict.report.brand.svg import draw_svg, read_svg
from plain_verdict.runtime.errors import UsageError
from plain_verdict.settings.limits import DEFAULT_LIMITS

BOX_WIDTH, WIDE_WIDTH, BOX_HEIGHT, TALL_HEIGHT = 240, 320, 44, 64
"""Of the band's place for it, in CSS pixels; a banner may be wider, and what is taller than wide higher."""
_SHARP = 2  # screens have up to so many pixels for one of CSS
_ICON_PIXELS = 64
_LOGO_BYTES = 30_000_000  # Pillow would unpack it into memory
_SVG_PIXELS = 1024  # the longer side: sharp wherever it is shown
_SVG_EMBEDDED_BYTES = 24_000  # a larger drawing is shown as a picture
_SOLID = 24  # alpha from which a pixel is seen
_SAME = 12  # how far a margin's pixel may be from the corner's, a channel
_FAINT = 2.0  # contrast under which a logo is lost on its ground
_FAINT_SHARE = 0.7
_WHITE = 0.85  # luminance from which a margin is paper, and not a ground that belongs to the logo


def read_logo(path: Path, where: str) -> Logo:
    """Return the logo in a file, ready for the band. Raises UsageError."""
    try:
        data = path.read_bytes() if path.stat().st_size <= _LOGO_BYTES else b""
    except OSError as error:
        raise UsageError(
            f"the logo can't be read ({error.strerror})", path=str(path), hint=f"check {where}"
        ) from error
    if not data:
        raise UsageError(
            f"the logo is empty or over {_LOGO_BYTES // 1_000_000} MB", path=str(path), hint=f"check {where}"
        )
    if data.lstrip(b"\xef\xbb\xbf \t\r\n").startswith(b"<"):
        return _fit_svg(data, path)
    try:
        ImageFile.LOAD_TRUNCATED_IMAGES = False  # what makes papers allows it, for the whole program
        with Image.open(BytesIO(data), formats=("PNG", "JPEG", "WEBP")) as image:
            if image.width * image.height > DEFAULT_LIMITS.picture_pixels:
                raise UsageError(f"the logo has {image.width:,} x {image.height:,} pixels", path=str(path))
            return _fit_picture(_upright(image))
    except UsageError:
        raise
    except Exception as error:
        raise UsageError(
            "the logo is not a PNG, JPEG, WebP or SVG picture that can be opened",
            path=str(path),
            hint=f"check {where}; saving it again as PNG helps",
        ) from error


def fitted(width: float, height: float, *, enlarge: bool) -> tuple[int, int]:
    """Return the size in which a picture stands in the band, its shape kept."""
    across = WIDE_WIDTH if width > 6 * height else BOX_WIDTH
    down = TALL_HEIGHT if width < 0.75 * height else BOX_HEIGHT
    scale = min(across / width, down / height)
    scale = scale if enlarge else min(scale, 1.0)
    return max(1, round(width * scale)), max(1, round(height * scale))


def _upright(image: Image.Image) -> Image.Image:
    image.draft("RGB", (4 * BOX_WIDTH, 4 * BOX_WIDTH))  # a large photograph is decoded small
    return (ImageOps.exif_transpose(image) or image).convert("RGBA")


def _fit_picture(image: Image.Image) -> Logo:
    image = _trimmed(image)
    width, height = fitted(*image.size, enlarge=False)
    pixels = (min(image.width, width * _SHARP), min(image.height, height * _SHARP))
    small = image.resize(pixels, Image.Resampling.LANCZOS, reducing_gap=3.0)
    png = _png(small)
    webp = BytesIO()
    opaque = min(small.getchannel("A").tobytes()) == 255
    small.convert("RGB" if opaque else "RGBA").save(webp, "WEBP", quality=88, method=6)
    data, media_type = min((png, "image/png"), (webp.getvalue(), "image/webp"), key=lambda made: len(made[0]))
    return _logo(small, data, media_type, (width, height), png)


def _fit_svg(data: bytes, path: Path) -> Logo:
    drawing = read_svg(data, path)
    image = draw_svg(drawing.text, _SVG_PIXELS, path)
    box = image.getchannel("A").point(_solid).getbbox()
    if box is None:
        raise UsageError("the logo is empty: it has no visible pixels", path=str(path))
    drawing = drawing.trimmed(box, image.size)
    width, height = fitted(box[2] - box[0], box[3] - box[1], enlarge=True)
    small = draw_svg(drawing.text, width * _SHARP, path)
    png = _png(small)
    as_drawing = drawing.text.encode()
    if len(as_drawing) > max(_SVG_EMBEDDED_BYTES, len(png)):
        return _logo(small, png, "image/png", (width, height), png)
    return _logo(small, as_drawing, "image/svg+xml", (width, height), png)


def _logo(image: Image.Image, data: bytes, media_type: str, size: tuple[int, int], png: bytes) -> Logo:
    return Logo(
        data=data,
        media_type=media_type,
        width=size[0],
        height=size[1],
        png=png,
        icon=_icon(image),
        lost_on_light=_lost(image, LIGHT_GROUNDS[1]),
        lost_on_dark=_lost(image, DARK_GROUNDS[1]),
    )


def _solid(alpha: int) -> int:
    return 255 if alpha > _SOLID else 0


def _trimmed(image: Image.Image) -> Image.Image:
    """Return the picture without its empty margin; of a white one a little stays."""
    box = image.getchannel("A").point(_solid).getbbox()
    if box is None:
        raise UsageError("the logo is empty: it has no visible pixels")
    image = image.crop(box)
    right, bottom = image.width - 1, image.height - 1
    corner, *others = (image.crop((x, y, x + 1, y + 1)).tobytes() for x in (0, right) for y in (0, bottom))
    alike = all(
        abs(channel - there) <= _SAME for other in others for channel, there in zip(corner, other, strict=True)
    )
    if not alike or corner[3] < 255 or luminance((corner[0], corner[1], corner[2])) < _WHITE:
        return image
    plain = Image.new("RGBA", image.size, tuple(corner))
    different = ImageChops.difference(image, plain).convert("RGB").convert("L")
    inner = different.point(lambda value: 255 if value > _SAME else 0).getbbox()
    if inner is None:
        return image
    spare = max(1, (inner[3] - inner[1]) // 12)
    return image.crop(
        (
            max(0, inner[0] - spare),
            max(0, inner[1] - spare),
            min(image.width, inner[2] + spare),
            min(image.height, inner[3] + spare),
        )
    )


def _png(image: Image.Image) -> bytes:
    out = BytesIO()
    image.save(out, "PNG", optimize=True)
    return out.getvalue()


def _icon(image: Image.Image) -> bytes:
    """Return the logo as a square icon, where its shape lets it be seen at that size."""
    if not 0.5 <= image.width / image.height <= 2:
        return b""
    small = image.copy()
    small.thumbnail((_ICON_PIXELS, _ICON_PIXELS))
    square = Image.new("RGBA", (max(small.size),) * 2)
    square.paste(small, ((square.width - small.width) // 2, (square.height - small.height) // 2))
    return _png(square)


def _lost(image: Image.Image, ground: Colour) -> bool:
    """Return whether nearly all that can be seen of it is as light, or as dark, as the ground."""
    small = image.copy()
    small.thumbnail((64, 64))
    pixels = small.tobytes()
    colours = Counter(pixels[at : at + 4] for at in range(0, len(pixels), 4))
    seen = {colour: number for colour, number in colours.items() if colour[3] > _SOLID}
    faint = sum(
        number for (red, green, blue, _), number in seen.items() if contrast((red, green, blue), ground) < _FAINT
    )
    return len(seen) < len(colours) and faint > _FAINT_SHARE * sum(seen.values())
