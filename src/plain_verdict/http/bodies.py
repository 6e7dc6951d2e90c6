"""Reads the body of a message: decoded, laid out for reading, shortened; what is not text becomes evidence."""

import re
import zlib
from urllib.parse import parse_qsl

import msgspec

from plain_verdict.model import Body, Evidence, Fact
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import block, single_line
from plain_verdict.text.formatting import format_size
from plain_verdict.text.patterns import pattern

_CHARSET = pattern(r";\s*charset\s*=\s*\"?([\w.:-]{1,40})", re.IGNORECASE)
_XML_PIECE = pattern(r"<!--.*?-->|<!\[CDATA\[.*?\]\]>|<[^>]*>|[^<]+", re.DOTALL)
_FORM = "application/x-www-form-urlencoded"
_MULTIPART = "multipart/form-data"
_GZIP = b"\x1f\x8b\x08"
_MOST_FIELDS = 200  # of a form: more are no form that somebody reads
_LAID_OUT_CHARS = 2_000_000
"""Longer JSON and XML stays as it came: only its head and tail are shown anyway."""
_INDENT = "  "


def read_body(
    data: bytes | str, media_type: str, limits: Limits, *, name: str = "body", coding: str = ""
) -> Body | None:
    """Return what a message carries; None for an empty body.

    ``coding`` is its Content-Encoding. ``name`` is what a binary body is called as evidence.
    Source: RFC 9110, sections 8.3 (media type, charset) and 8.4 (content coding).
    """
    if not data:
        return None
    declared = single_line(media_type, limits.name_chars)
    kind = declared.partition(";")[0].strip().lower()
    if isinstance(data, str):
        raw, remark, text = data.encode("utf-8", "replace"), "", data
    else:
        raw, remark = _uncompressed(data, coding, limits.evidence_bytes)
        text = "" if kind.startswith(("image/", "video/", "audio/")) else _decoded(raw, declared)
    if kind == _MULTIPART:
        form = _multipart(raw, declared, limits)
        return Body(declared, form=form, size_bytes=len(raw), remark=remark)
    if not text:
        binary = Evidence(single_line(name, limits.name_chars) or "body", data=raw) if raw else None
        return Body(declared, binary=binary, size_bytes=len(raw), remark=remark)
    if kind == _FORM and len(text) < _LAID_OUT_CHARS:
        return Body(declared, form=_fields(text, limits), size_bytes=len(raw), remark=remark)
    return Body(declared, block(_laid_out(text, kind), limits.body_chars), size_bytes=len(raw), remark=remark)


def form_of(pairs: list[tuple[str, str]], limits: Limits) -> tuple[Fact, ...]:
    """Return the fields of a form, as many as are kept."""
    kept = [Fact(single_line(name, limits.name_chars), block(value, limits.message_chars)) for name, value in pairs]
    if len(kept) > _MOST_FIELDS:
        kept[_MOST_FIELDS:] = [Fact("…", f"and {len(kept) - _MOST_FIELDS:,} more fields")]
    return tuple(kept)


def _uncompressed(data: bytes, coding: str, most_bytes: int) -> tuple[bytes, str]:
    """Return the bytes without their content coding, and what to say of it."""
    coding = coding.strip().lower()
    if data.startswith(_GZIP):
        windows: tuple[int, ...] = (31,)
    elif coding == "deflate":
        windows = (15, -15)  # RFC 9110, section 8.4.1.2: some send it without the zlib wrapper
    else:
        # Recorders usually decode a body and leave its header as it was.
        return data, f"is compressed ({coding})" if coding in ("br", "zstd") and _is_binary(data) else ""
    for window in windows:
        unpacking = zlib.decompressobj(window)
        try:
            plain = unpacking.decompress(data, most_bytes)
        except zlib.error:
            continue
        if unpacking.unconsumed_tail:
            return plain, f"is larger than {format_size(most_bytes)} once unpacked; the rest is left out"
        return plain, "" if unpacking.eof else "is truncated in its compressed form"
    return data, ""


def _is_binary(data: bytes) -> bool:
    return b"\0" in data[:512] or any(byte < 9 for byte in data[:64])


def _decoded(data: bytes, media_type: str) -> str:
    """Return the text that the bytes are; "" where they are none."""
    named = _CHARSET.search(media_type)
    for charset in (*([named[1]] if named else ()), "utf-8-sig"):
        try:
            text = data.decode(charset)
        except (LookupError, UnicodeError):
            continue
        return "" if "\0" in text else text
    if _is_binary(data) or not media_type.lower().startswith(("text/", "application/json", "application/xml")):
        return ""
    return data.decode("cp1252", "replace")


def _laid_out(text: str, kind: str) -> str:
    """Return JSON and XML indented; other text as it is."""
    if len(text) > _LAID_OUT_CHARS:
        return text
    start = text.lstrip()[:1]
    if start in ("{", "["):
        try:
            return msgspec.json.format(text, indent=2)
        except (msgspec.DecodeError, RecursionError):
            return text
    if start == "<" and kind.endswith("xml") and "\n" not in text.strip():
        return _indented_xml(text)
    return text


def _indented_xml(text: str) -> str:
    """Return XML with a line for each tag; an element with nothing but text stays on one line.

    By its tags alone: nothing is resolved, so nothing in it can pull in a file or grow.
    """
    lines: list[str] = []
    depth = 0
    opened = False  # whether the last line is a start tag that may yet get its text and end
    for piece in _XML_PIECE.findall(text):
        if piece.startswith("</"):
            depth = max(0, depth - 1)
            if opened:
                lines[-1] += piece
            else:
                lines.append(_INDENT * depth + piece)
            opened = False
        elif piece.startswith("<"):
            lines.append(_INDENT * min(depth, 40) + piece)
            opened = not piece.startswith(("<!", "<?")) and not piece.endswith("/>")
            depth += opened
        elif piece.strip():
            if opened:
                lines[-1] += piece
            else:
                lines.append(_INDENT * min(depth, 40) + piece.strip())
    return "\n".join(lines)


def _fields(text: str, limits: Limits) -> tuple[Fact, ...]:
    """Return the fields of a form. Source: WHATWG URL, section 5.1 (application/x-www-form-urlencoded)."""
    try:
        return form_of(parse_qsl(text, keep_blank_values=True, max_num_fields=10_000), limits)
    except ValueError:
        return form_of([("…", "too many fields to show")], limits)


def _multipart(data: bytes, media_type: str, limits: Limits) -> tuple[Fact, ...]:
    """Return the fields of a form in parts; of a file its name and size. Source: RFC 7578, section 4."""
    from email import message_from_bytes, policy  # a heavy library, for the few forms in parts

    head = f"Content-Type: {media_type}\r\n\r\n".encode("latin-1", "replace")
    message = message_from_bytes(head + data, policy=policy.HTTP)
    pairs = []
    for part in message.get_payload() if message.is_multipart() else ():
        if isinstance(part, str):
            continue
        content = part.get_payload(decode=True)
        held = content if isinstance(content, bytes) else b""
        name = str(part.get_param("name", "", "content-disposition"))
        file = part.get_filename()
        pairs.append((name, f"{file}, {format_size(len(held))}" if file else held.decode("utf-8", "replace")))
    return form_of(pairs, limits)
