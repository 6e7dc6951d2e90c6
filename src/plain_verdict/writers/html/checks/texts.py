"""Long texts, folded, and two texts side by side."""

from collections.abc import Iterator

from markupsafe import Markup

from plain_verdict.report.difference import Marked, compare
from plain_verdict.text.formatting import plural
from plain_verdict.writers.html.checks.escaping import escaped

_HEAD_LINES, _TAIL_LINES = 60, 60  # of a long output: its end has the error, its beginning the call
_SHORT_LINES = _HEAD_LINES + _TAIL_LINES + 20


def fold_html(label: str, text: str, note: str = "") -> Markup:
    """Return a long text, folded; of a very long one the middle as well."""
    title = f' title="{escaped(note)}"' if note else ""
    number = text.count("\n") + 1
    summary = f'<summary{title}>{escaped(label)}<span class="soft">, {plural(number, "line")}</span></summary>'
    pieces = "".join(_pieces(text, number))
    return Markup(f'<details class="fold">{summary}{pieces}</details>')  # noqa: S704  every text is escaped


def _pieces(text: str, number: int) -> Iterator[str]:
    if number <= _SHORT_LINES:
        yield f'<pre tabindex="0">{escaped(text)}</pre>'
        return
    lines = text.split("\n")
    head, middle, tail = lines[:_HEAD_LINES], lines[_HEAD_LINES:-_TAIL_LINES], lines[-_TAIL_LINES:]
    between = f'<pre tabindex="0">{escaped(chr(10).join(middle))}</pre>'
    yield f'<pre tabindex="0">{escaped(chr(10).join(head))}</pre>'
    yield f'<details class="between"><summary>{plural(len(middle), "line")} between</summary>{between}</details>'
    yield f'<pre tabindex="0">{escaped(chr(10).join(tail))}</pre>'


def pair_html(expected: str, actual: str) -> Markup:
    """Return an expected and an actual text side by side, with what differs marked."""
    left, right = compare(expected, actual)
    sides = f"{_side('expected', left)}{_side('actual', right)}"
    return Markup(f'<div class="two">{sides}</div>')  # noqa: S704  every text is escaped


def _side(label: str, marked: Marked) -> str:
    texts = (f"<mark>{escaped(text)}</mark>" if differs else escaped(text) for text, differs in marked)
    return f"<div><span>{label}</span><bdi>{''.join(texts)}</bdi></div>"
