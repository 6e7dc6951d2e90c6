"""Writes exchanges and expectations: a run may have 50,000, and a template takes ten times as long for each."""

from collections.abc import Callable, Sequence
from html import escape

from markupsafe import Markup

from plain_verdict.model import Expectation, Fact
from plain_verdict.report.evidence_index import ShownEvidence
from plain_verdict.report.shown_exchange import ShownBody, ShownExchange, ShownMessage, show_expectation
from plain_verdict.text.formatting import capital, format_duration
from plain_verdict.writers.html.rows import outcome_html

Fold = Callable[[str, str], str]
Evidences = Callable[[Sequence[ShownEvidence]], str]
Pair = Callable[[str, str], str]


def expectations_html(expectations: Sequence[Expectation], pair: Pair) -> Markup:
    """Return the list of expectations; ``pair`` sets long values side by side."""
    rows = "".join([_expectation(expectation, pair) for expectation in expectations])
    return Markup(f'<ul class="expectations">{rows}</ul>')  # noqa: S704  every value is escaped below


def _expectation(expectation: Expectation, pair: Pair) -> str:
    expected, actual = expectation.expected, expectation.actual
    shown = show_expectation(expectation)
    parts = [f'<li>{outcome_html(expectation.outcome)}<span class="what"><bdi>{escape(expectation.subject)}</bdi>']
    if expected is not None and not shown.side_by_side:
        parts.append(f' <span class="soft">expected</span> <bdi class="mono">{escape(expected)}</bdi>')
    if expectation.message:
        parts.append(f"<small><bdi>{escape(expectation.message)}</bdi></small>")
    parts.append("</span>")
    if shown.side_by_side:
        parts.append(pair(expected or "", actual or ""))
    elif actual is not None:
        parts.append(f'<bdi class="mono actual">{escape(actual)}</bdi>')
    parts.append("</li>")
    return "".join(parts)


def exchange_html(shown: ShownExchange, fold: Fold, evidence: Evidences) -> Markup:
    """Return an exchange: sent beside came back, its timing, and the curl command."""
    request, took = shown.exchange.request, format_duration(shown.exchange.took_s)
    parts = [
        f'<details class="exchange{" wrong" if shown.wrong else ""}"{" open" if shown.is_open else ""}>',
        f'<summary><span class="call"><b><bdi>{escape(request.method)}</bdi></b> ',
        f'<bdi>{escape(request.url)}</bdi></span> <span class="answer"><bdi>{escape(shown.answer)}</bdi></span>',
        f' <span class="took num">{took}</span></summary><div class="sides">',
        *_message(shown.sent, fold, evidence),
        *_message(shown.came_back, fold, evidence),
        "</div>",
    ]
    if shown.timing:
        parts.append(f'<div class="timing"><svg role="img" aria-label="{shown.timing_note}">')
        parts += [
            f'<rect class="{"part" if part.name == "waited" else "rail"}" x="{part.start}%" width="{part.width}%"'
            f' height="8"><title>{part.name}</title></rect>'
            for part in shown.timing
        ]
        parts.append(f'</svg><p class="soft num">{shown.timing_note}</p></div>')
    if shown.circumstances:
        parts.append(f'<p class="soft num"><bdi>{escape(capital(shown.circumstances))}</bdi></p>')
    parts.append('<details class="fold"><summary>As a curl command</summary>')
    if shown.curl_note:
        parts.append(f'<p class="soft">{escape(shown.curl_note)}</p>')
    parts.append(f'<pre tabindex="0">{escape(shown.curl)}</pre></details></details>')
    return Markup("".join(parts))  # noqa: S704  every value is escaped above and below, the rest are words of ours


def _message(message: ShownMessage, fold: Fold, evidence: Evidences) -> list[str]:
    parts = [f'<div class="side"><p class="soft">{escape(message.head)}</p>']
    if message.headers:
        parts.append(f'<pre class="headers">{escape(message.headers)}</pre>')
    if message.more_headers:
        parts.append(f'<details class="fold"><summary>{message.more_note}</summary>')
        parts.append(f'<pre class="headers">{escape(message.more_headers)}</pre></details>')
    if message.body:
        parts += _body(message.body, fold, evidence)
    parts.append("</div>")
    return parts


def _body(body: ShownBody, fold: Fold, evidence: Evidences) -> list[str]:
    parts = []
    if body.folded:
        parts.append(str(fold("Body", body.text)))
    elif body.text:
        parts.append(f"<pre>{escape(body.text)}</pre>")
    if body.form:
        parts.append(f'<dl class="form">{"".join(map(_field, body.form))}</dl>')
    if body.evidence:
        parts.append(str(evidence(body.evidence)))
    if body.note:
        parts.append(f'<p class="soft">{escape(body.note)}</p>')
    return parts


def _field(field: Fact) -> str:
    return f"<div><dt><bdi>{escape(field.key)}</bdi></dt><dd><bdi>{escape(field.value)}</bdi></dd></div>"
