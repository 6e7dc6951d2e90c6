"""Draws where two pictures differ: what was expected pale, each differing pixel marked, a box around them."""

from io import BytesIO

from PIL import Image, ImageChops, ImageDraw

from plain_verdict.text.formatting import format_failed_share

_PALE = 0.75  # of white in what stays the same
_RED = (214, 40, 40)
_BOX_MARGIN, _BOX_WIDTH = 6, 2  # pixels


def draw_difference(expected: bytes, actual: bytes, most_pixels: int) -> tuple[bytes, str]:
    """Return a PNG of where two pictures differ, and in words how many of their pixels do.

    Pictures of different sizes differ where only one of them is. Raises what the decoder raises, and ValueError for
    a picture of too many pixels.
    """
    opened = [_opened(data, most_pixels) for data in (expected, actual)]
    size = (max(picture.width for picture in opened), max(picture.height for picture in opened))
    if size[0] * size[1] > most_pixels:
        raise ValueError("their sizes differ too much to draw both safely")
    left, right = (_on_canvas(picture, size) for picture in opened)
    bands = ImageChops.difference(left, right).split()
    strongest = ImageChops.lighter(ImageChops.lighter(bands[0], bands[1]), bands[2])
    mask = strongest.point(lambda value: 255 if value else 0)
    for picture in opened:
        _mark_outside(mask, picture.size)
    pale = Image.blend(right.convert("L").convert("RGB"), Image.new("RGB", size, "white"), _PALE)
    pale.paste(_RED, mask=mask)
    box = mask.getbbox()
    if box:
        left_edge, top, right_edge, bottom = box
        ImageDraw.Draw(pale).rectangle(
            (
                max(0, left_edge - _BOX_MARGIN),
                max(0, top - _BOX_MARGIN),
                min(size[0], right_edge + _BOX_MARGIN) - 1,
                min(size[1], bottom + _BOX_MARGIN) - 1,
            ),
            outline=_RED,
            width=_BOX_WIDTH,
        )
    buffer = BytesIO()
    pale.save(buffer, "PNG")
    return buffer.getvalue(), _in_words(mask.histogram()[255] / (size[0] * size[1]), opened, box)


def _in_words(share: float, opened: list[Image.Image], box: tuple[int, int, int, int] | None) -> str:
    if box is None:
        return "No pixel differs"
    words = f"{format_failed_share(share)} of the pixels differ"
    words += f", inside {box[2] - box[0]} x {box[3] - box[1]} pixels at {box[0]}, {box[1]}"
    if opened[0].size != opened[1].size:
        expected, actual = (f"{picture.width} x {picture.height}" for picture in opened)
        words += f"; expected {expected} pixels, actual {actual}"
    return words


def _opened(data: bytes, most_pixels: int) -> Image.Image:
    with Image.open(BytesIO(data)) as picture:
        if picture.width * picture.height > most_pixels:
            raise ValueError(f"{picture.width:,} x {picture.height:,} pixels are too many to open safely")
        # What shows through is compared on white, as a page shows it.
        over = picture.convert("RGBA")
        return Image.alpha_composite(Image.new("RGBA", over.size, "white"), over).convert("RGB")


def _on_canvas(picture: Image.Image, size: tuple[int, int]) -> Image.Image:
    if picture.size == size:
        return picture
    canvas = Image.new("RGB", size, "white")
    canvas.paste(picture)
    return canvas


def _mark_outside(mask: Image.Image, size: tuple[int, int]) -> None:
    """Mark what lies outside a picture of that size."""
    if size[0] < mask.width:
        mask.paste(255, (size[0], 0, mask.width, mask.height))
    if size[1] < mask.height:
        mask.paste(255, (0, size[1], mask.width, mask.height))
