"""Makes what evidence holds fit for a page: pictures scaled and encoded, texts shortened. Runs in workers."""

import json
import re
import warnings
from collections.abc import Iterator
from hashlib import sha256
from io import BytesIO
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from plain_verdict.model import Content, ContentKind
from plain_verdict.runtime.errors import ReadError
from plain_verdict.runtime.guard import guarded
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import block
from plain_verdict.text.formatting import format_size
from plain_verdict.text.media_types import HEAD_BYTES, encoding_of, media_type_of

if TYPE_CHECKING:
    from PIL.Image import Image

_QUALITY = 80  # of lossy pictures: letters on screenshots stay sharp
_SMALL_QUALITY = 55  # where the page is full: still readable
_SMALL_WIDTH = 1000  # pixels: a screenshot stays readable on a page of that width
_LANCZOS = 1  # as Pillow numbers its filters
_LEAVE_BYTES = 24_000
"""A PNG up to this size stays as it is: encoding it again would save next to nothing."""
_SVG_SIZE = re.compile(rb"<svg[^>]{0,2000}?viewBox\s*=\s*[\"']\s*[-\d.]+[\s,]+[-\d.]+[\s,]+([\d.]+)[\s,]+([\d.]+)")
# What a PNG needs to be drawn; the other chunks tell where and by whom it was made.
_PNG_CHUNKS = {b"IHDR", b"PLTE", b"IDAT", b"IEND", b"tRNS", b"gAMA", b"sRGB", b"cHRM"}


class Task(msgspec.Struct, frozen=True):
    """Evidence to make into content: a file, or bytes. ``small`` asks for the strongest compression.

    ``compared_with``: what is made is the difference from that picture.
    """

    file: str
    data: bytes
    limits: Limits
    small: bool = False
    compared_with: "Task | None" = None


class OurBug(str):
    """Why there is no content, where this program is to blame: the run is not whole then."""

    __slots__ = ()


def make_content(task: Task) -> Content | str:
    """Return the content, or why there is none."""
    try:
        with guarded(Path(task.file).name):
            return _difference(task, task.compared_with) if task.compared_with else _made(task)
    except ReadError as error:
        return OurBug(error.what)


def _difference(task: Task, expected: Task) -> Content | str:
    """Return the picture of where two pictures differ, with how much in words."""
    from plain_verdict.evidence.picture_difference import draw_difference  # for such pictures only

    try:
        both = [_picture_bytes(picture) for picture in (expected, task)]
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            data, words = draw_difference(both[0], both[1], task.limits.picture_pixels)
    except Exception as error:  # noqa: BLE001  decoders raise what they like at damaged pictures
        return f"can't be compared ({' '.join(str(error).split())[:80] or type(error).__name__})"
    made = _content(sha256(data).hexdigest()[:16], "image/png", data, task)
    return made if isinstance(made, str) else msgspec.structs.replace(made, remark=words)


def _picture_bytes(task: Task) -> bytes:
    """Return a picture's bytes. Raises ValueError for one over the limit."""
    size_bytes = Path(task.file).stat().st_size if task.file else len(task.data)
    if size_bytes > task.limits.picture_bytes:
        raise ValueError(f"one is {format_size(size_bytes)}, over the limit")
    return task.data or Path(task.file).read_bytes()


def _made(task: Task) -> Content | str:
    try:
        size_bytes = Path(task.file).stat().st_size if task.file else len(task.data)
        if not size_bytes:
            return "is empty"
        head = task.data[:HEAD_BYTES]
        if task.file:
            with Path(task.file).open("rb") as file:
                head = file.read(HEAD_BYTES)
        media_type = media_type_of(head)
        most = task.limits.picture_bytes if media_type.startswith("image/") else task.limits.evidence_bytes
        if size_bytes > most:
            return f"is {format_size(size_bytes)}, over the limit of {format_size(most)}"
        data = Path(task.file).read_bytes() if task.file else task.data
    except OSError as error:
        return f"can't be read ({error.strerror or error})"
    return _content(sha256(data).hexdigest()[:16], media_type, data, task)


def _content(key: str, media_type: str, data: bytes, task: Task) -> Content | str:
    if media_type == "image/svg+xml":
        found = _SVG_SIZE.search(data)
        width, height = (max(1, min(9999, round(float(side)))) for side in found.groups()) if found else (640, 400)
        return Content(key, ContentKind.PICTURE, media_type, data, width=width, height=height)
    if media_type.startswith("image/"):
        return _picture(key, media_type, data, task)
    if media_type.startswith("video/"):
        return Content(key, ContentKind.VIDEO, media_type, data)
    if media_type == "application/octet-stream":
        return Content(key, ContentKind.FILE, media_type, data)
    text = block(_laid_out(media_type, data), task.limits.evidence_chars)
    return Content(key, ContentKind.TEXT, media_type, text=text)


def _laid_out(media_type: str, data: bytes) -> str:
    text = data.decode(encoding_of(data[:HEAD_BYTES]), "replace")
    if media_type == "application/json":
        try:
            return json.dumps(json.loads(text), indent=2, ensure_ascii=False)
        except (ValueError, RecursionError):
            return text
    return text


def _picture(key: str, media_type: str, data: bytes, task: Task) -> Content | str:
    """Return the picture scaled to what a page can show, upright, without metadata, as small as it gets."""
    from PIL import Image, ImageOps  # a large library, for pictures only

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            Image.MAX_IMAGE_PIXELS = None  # checked here, with words of our own
            with Image.open(BytesIO(data)) as opened:
                pixels = opened.width * opened.height
                if pixels > task.limits.picture_pixels:
                    return f"is {opened.width:,} x {opened.height:,} pixels, too many to open safely"
                animated = getattr(opened, "is_animated", False) and media_type in ("image/gif", "image/webp")
                if animated and len(data) <= task.limits.evidence_bytes // 10:
                    return Content(
                        key, ContentKind.PICTURE, media_type, data, width=opened.width, height=opened.height
                    )
                upright = ImageOps.exif_transpose(opened)
                return _encoded(key, media_type, data, upright, task)
    except Exception as error:  # noqa: BLE001  decoders raise what they like at damaged pictures
        return f"can't be opened as a picture ({' '.join(str(error).split())[:80] or type(error).__name__})"


def _encoded(key: str, media_type: str, data: bytes, picture: "Image", task: Task) -> Content:
    widest = _SMALL_WIDTH if task.small else task.limits.picture_width
    ratio = min(1.0, widest / picture.width, task.limits.picture_height / picture.height)
    width, height = max(1, round(picture.width * ratio)), max(1, round(picture.height * ratio))
    remark = f"scaled from {picture.width} x {picture.height}" if ratio < 1 else ""
    if ratio == 1 and media_type == "image/png" and len(data) <= _LEAVE_BYTES:
        picture.load()  # a picture that is truncated must not pass
        return Content(key, ContentKind.PICTURE, media_type, _without_metadata(data), width=width, height=height)
    candidates = list(_encodings(_resized(picture, (width, height)), _SMALL_QUALITY if task.small else _QUALITY))
    if media_type == "image/png" and ratio == 1:
        candidates.append((media_type, _without_metadata(data)))
    best_type, best = min(candidates, key=lambda candidate: len(candidate[1]))
    return Content(key, ContentKind.PICTURE, best_type, best, width=width, height=height, remark=remark)


def _resized(picture: "Image", size: tuple[int, int]) -> "Image":
    """Return a picture of that size in a mode that every encoder takes."""
    if picture.mode not in ("RGB", "RGBA"):
        picture = picture.convert("RGBA" if picture.has_transparency_data else "RGB")
    return picture if picture.size == size else picture.resize(size, _LANCZOS, reducing_gap=2.0)


def _encodings(picture: "Image", quality: int) -> Iterator[tuple[str, bytes]]:
    """Yield (media type, data) of a picture in each form that may be the smallest."""
    yield "image/webp", _saved(picture, "WEBP", quality=quality, method=2)
    if picture.mode == "RGB":
        # 4:4:4, as thin coloured text is unreadable otherwise
        yield "image/jpeg", _saved(picture, "JPEG", quality=quality + 4, subsampling=0)


def _saved(picture: "Image", form: str, **options: Any) -> bytes:
    buffer = BytesIO()
    picture.save(buffer, form, **options)
    return buffer.getvalue()


def _without_metadata(data: bytes) -> bytes:
    """Return a PNG with the chunks that draw it. Source: PNG, third edition, section 5.3 (chunk layout)."""
    kept, at = [data[:8]], 8
    while at + 8 <= len(data):
        length = int.from_bytes(data[at : at + 4], "big")
        if data[at + 4 : at + 8] in _PNG_CHUNKS:
            kept.append(data[at : at + 12 + length])
        at += 12 + length
    return b"".join(kept)
