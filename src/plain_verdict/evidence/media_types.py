"""Tells what evidence is by its content, never by its name."""

import re

_BEGINNINGS = (
    (b"\x89PNG\r\n\x1a\n", "image/png"),
    (b"\xff\xd8\xff", "image/jpeg"),
    (b"GIF87a", "image/gif"),
    (b"GIF89a", "image/gif"),
    (b"BM", "image/bmp"),
    (b"\x1a\x45\xdf\xa3", "video/webm"),
)
_SVG = re.compile(
    rb"\s*(?:<\?xml[^>]{0,200}\?>|<!--.{0,2000}?-->|<!DOCTYPE[^>\[]{0,400}>|\s+)*<svg[\s>]", re.DOTALL
)
_TEXTS = ((re.compile(r"[\[{]"), "application/json"), (re.compile(r"<!doctype html|<html", re.I), "text/html"))
HEAD_BYTES = 4096
_LOOKED_AT = 400
_LEAST_ZEROS = 8
_MOSTLY = 0.7


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
