"""Media types: of evidence by its content, never by its name; of files of ours by the end of their name."""

import re

_BEGINNINGS = (
    (b"\x89PNG\r\n\x1a\n", "image/png"),
    (b"\xff\xd8\xff", "image/jpeg"),
    (b"GIF87a", "image/gif"),
    (b"GIF89a", "image/gif"),
    (b"BM", "image/bmp"),
    (b"\x1a\x45\xdf\xa3", "video/webm"),
)
SUFFIXES = {
    "image/png": "png",
    "image/jpeg": "jpg",
    "image/gif": "gif",
    "image/webp": "webp",
    "image/bmp": "bmp",
    "image/avif": "avif",
    "image/svg+xml": "svg",
    "video/mp4": "mp4",
    "video/webm": "webm",
}
"""The end of a file's name, by what it holds."""
_SERVED = {
    **{suffix: media_type for media_type, suffix in SUFFIXES.items()},
    "html": "text/html; charset=utf-8",
    "xml": "application/atom+xml",
    "css": "text/css; charset=utf-8",
    "js": "text/javascript; charset=utf-8",
    "zip": "application/zip",
}
_SVG = re.compile(
    rb"\s*(?:<\?xml[^>]{0,200}\?>|<!--.{0,2000}?-->|<!DOCTYPE[^>\[]{0,400}>|\s+)*<svg[\s>]", re.DOTALL
)
_TEXTS = ((re.compile(r"[\[{]"), "application/json"), (re.compile(r"<!doctype html|<html", re.I), "text/html"))
HEAD_BYTES = 4096
_LOOKED_AT = 400  # bytes: every second one is 0 in Latin text as UTF-16
_LEAST_ZEROS = 8
_MOSTLY = 0.7  # other letters have no 0


def media_type_of(head: bytes) -> str:
    """Return the media type of a file that begins like this; ``application/octet-stream`` for anything unknown."""
    for beginning, media_type in _BEGINNINGS:
        if head.startswith(beginning) and (beginning != b"BM" or b"\x00" in head[:32]):
            return media_type
    if head[:4] == b"RIFF" and head[8:12] == b"WEBP":
        return "image/webp"
    if head[4:8] == b"ftyp":
        return "image/avif" if head[8:12] in (b"avif", b"avis") else "video/mp4"
    if _SVG.match(head):
        return "image/svg+xml"
    return _text_type(head)


def served_as(file: str) -> str:
    """Return as what a file of a page is served, by its name."""
    return _SERVED.get(file.rpartition(".")[2].lower(), "application/octet-stream")


def encoding_of(head: bytes) -> str:
    """Return the encoding of a text that begins like this: UTF-16 by its mark or its zero bytes, else UTF-8."""
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16"
    even, odd = head[0:_LOOKED_AT:2], head[1:_LOOKED_AT:2]
    if len(odd) >= _LEAST_ZEROS and 0 not in even and odd.count(0) > _MOSTLY * len(odd):
        return "utf-16-le"
    if len(odd) >= _LEAST_ZEROS and 0 not in odd and even.count(0) > _MOSTLY * len(even):
        return "utf-16-be"
    return "utf-8-sig"


def _text_type(head: bytes) -> str:
    encoding = encoding_of(head)
    if encoding != "utf-8-sig":
        head = head[: len(head) // 2 * 2].decode(encoding, "ignore").encode()
    try:
        text = head.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        # The head may end in the middle of a character.
        if len(head) - error.start > 3 or not head:
            return "application/octet-stream"
        text = head[: error.start].decode("utf-8-sig")
    if "\x00" in text:
        return "application/octet-stream"
    text = text.lstrip()
    for beginning, media_type in _TEXTS:
        if beginning.match(text):
            return media_type
    return "text/xml" if text.startswith("<") else "text/plain"
