"""Makes text from result files plain: no colour codes, no control characters, no more than a limit."""

import re
from collections.abc import Sequence

from plain_verdict.text.patterns import pattern

ESCAPE = "\u241b"  # the picture of the escape character, which stands for it once a file is read
BELL = "\u2407"

# Runners write the escape character raw, as a reference, or spelled out where XML forbids it.
_ESC = rf"(?:{ESCAPE}|\x1b|#x1B|&#x1[bB];|&#27;|\\x1b|\\u001[bB]|\ufffd(?=\[))"
# One of these stands in every such spelling: looking for them is faster, and for their first signs faster still.
_ESC_SIGNS = tuple((sign[0], sign) for sign in (ESCAPE, "\x1b", "#x1", "&#27;", "\\x1b", "\\u001", "\ufffd["))
_COLOUR = pattern(
    rf"{_ESC}\[[0-9;:?]{{0,64}}[A-Za-z]"  # Source: ECMA-48, 5th edition, section 5.4 (control sequences)
    rf"|{_ESC}\][^{BELL}\x07{ESCAPE}\x1b\n]{{0,4096}}(?:{BELL}|\x07|{_ESC}\\)"  # section 8.3.89 (OSC)
)
# Some runners drop the escape character and leave the rest. Only removed where a text also resets its colour.
_BARE_COLOUR = pattern(r"\[(?:\d{1,3}(?:;\d{1,3}){0,5}m(?!\])|m(?=[\s\[]|\Z))")
_BARE_RESET = pattern(r"\[(?:(?:0|22|39|49)m(?!\])|m(?=[\s\[]|\Z))")
_CONTROL_BYTES = bytes([*range(9), 0x0B, 0x0C, *range(0x0E, 0x20), 0x7F])
_CONTROL = pattern(f"[{re.escape(_CONTROL_BYTES.decode())}]")
_SPACES = pattern(r"\s+")
# Embeddings, overrides and isolates reorder what follows them, also outside the name they stand in.
_REORDERING = dict.fromkeys([*range(0x202A, 0x202F), *range(0x2066, 0x206A)])


def picture(control: int) -> str:
    """Return the visible picture of a control character."""
    return "\u2421" if control == 0x7F else chr(0x2400 + control)


def plain(text: str) -> str:
    """Return the text with colour codes removed and other control characters made visible."""
    if "[" in text or "]" in text:
        if any(first in text and sign in text for first, sign in _ESC_SIGNS):
            text = _COLOUR.sub("", text)
        if _BARE_RESET.search(text):
            text = _BARE_COLOUR.sub("", text)
    if "\r" in text:
        text = text.replace("\r\n", "\n").replace("\r", "\n")
    return with_visible_controls(text)


def with_visible_controls(text: str) -> str:
    """Return the text with the picture of each control character in its place."""
    if not text.isprintable() and _may_have_control(text):
        text = _CONTROL.sub(lambda match: picture(ord(match[0])), text)
    return text


def _may_have_control(text: str) -> bool:
    """Return whether a multi-line text may have a control character: much faster than to look for each."""
    if text.isascii():
        data = text.encode()
        return len(data.translate(None, _CONTROL_BYTES)) != len(data)
    return not text.replace("\n", "").replace("\t", "").isprintable()


def single_line(text: str, limit_chars: int) -> str:
    """Return the text as one line that can't disturb its surroundings, at most ``limit_chars`` long."""
    # Nearly every name is plain as it is: printable means no control, no reordering, no space but the common one.
    if text.isprintable() and "  " not in text and "[" not in text and "]" not in text and len(text) <= limit_chars:
        return text.strip()
    if not text.isascii():
        text = text.translate(_REORDERING)
    text = _SPACES.sub(" ", plain(text)).strip()
    return text if len(text) <= limit_chars else text[: limit_chars - 1] + "…"


def single_lines(texts: Sequence[str], limit_chars: int) -> list[str]:
    """Return several texts as ``single_line`` does each."""
    together = "".join(texts)
    is_plain = together.isprintable() and "  " not in together and "[" not in together and "]" not in together
    if is_plain and max(map(len, texts), default=0) <= limit_chars:
        return list(map(str.strip, texts))
    return [single_line(text, limit_chars) for text in texts]


def block(text: str, limit_chars: int) -> str:
    """Return the text as a block of lines; of a long one the head and the tail, and how much is left out."""
    text = plain(text).strip("\n").rstrip()
    # Only shared indentation of the first line is noise; the rest is how the runner laid the text out.
    text = text.lstrip() if "\n" not in text else text
    if len(text) <= limit_chars:
        return text
    head = text[: limit_chars * 2 // 3]
    tail = text[-(limit_chars - len(head)) :]
    head = head[: head.rfind("\n") + 1] or head + "\n"
    tail = tail[tail.find("\n") :] if "\n" in tail else "\n" + tail
    left_out = len(text) - len(head) - len(tail)
    return f"{head}[… {left_out:,} characters left out here …]{tail}"


MEANS_LITTLE = pattern(r"\S{1,300}[:(]\d+\)?:?|[A-Z ]{4,40}:|unknown file|")


def headline(message: str) -> str:
    """Return the line of a message that says most: its first that is not a location or a heading."""
    lines = [line.strip() for line in message.split("\n", 50)[:50]]
    return next((line for line in lines if not MEANS_LITTLE.fullmatch(line)), lines[0])
