"""The request to a service, what came back, and what was expected."""

from collections.abc import Iterator

from plain_verdict.model import Attempt, Expectation, Fact, Step
from plain_verdict.report import Report
from plain_verdict.report.shown_exchange import ShownBody, ShownExchange, ShownMessage, show_expectation
from plain_verdict.text.formatting import capital, format_duration
from plain_verdict.writers.html.checks.escaping import escaped
from plain_verdict.writers.html.checks.evidence import EvidenceHtml
from plain_verdict.writers.html.checks.rows import outcome_html
from plain_verdict.writers.html.checks.texts import fold_html, pair_html


class CallsHtml:
    """Writes the exchanges and expectations of one page."""

    def __init__(self, report: Report, evidence: EvidenceHtml) -> None:
        self._report = report
        self._evidence = evidence

    def all(self, part: Attempt | Step) -> Iterator[str]:
        """Yield what an attempt or a step expected and exchanged."""
        if part.expectations:
            rows = "".join(map(_expectation, part.expectations))
            yield f'<h4>Expectations</h4><ul class="expectations">{rows}</ul>'
        if part.exchanges:
            yield f"<h4>{'Exchange' if len(part.exchanges) == 1 else 'Exchanges'}</h4>"
            for shown in self._report.show_exchanges(part):
                yield from _exchange(shown, self._evidence)


def _expectation(expectation: Expectation) -> str:
    expected, actual = expectation.expected, expectation.actual
    shown = show_expectation(expectation)
    parts = [f'<li>{outcome_html(expectation.outcome)}<span class="what"><bdi>{escaped(expectation.subject)}</bdi>']
    if expected is not None and not shown.side_by_side:
        parts.append(f' <span class="soft">expected</span> <bdi class="mono">{escaped(expected)}</bdi>')
    if expectation.message:
        parts.append(f"<small><bdi>{escaped(expectation.message)}</bdi></small>")
    parts.append("</span>")
    if shown.side_by_side:
        parts.append(pair_html(expected or "", actual or ""))
    elif actual is not None:
        parts.append(f'<bdi class="mono actual">{escaped(actual)}</bdi>')
    parts.append("</li>")
    return "".join(parts)


def _exchange(shown: ShownExchange, evidence: EvidenceHtml) -> list[str]:
    """Return an exchange: sent beside came back, its timing, and the curl command."""
    request, took = shown.exchange.request, format_duration(shown.exchange.took_s)
    parts = [
        f'<details class="exchange{" wrong" if shown.wrong else ""}"{" open" if shown.is_open else ""}>',
        f'<summary><span class="call"><b><bdi>{escaped(request.method)}</bdi></b> ',
        f'<bdi>{escaped(request.url)}</bdi></span> <span class="answer"><bdi>{escaped(shown.answer)}</bdi></span>',
        f' <span class="took num">{took}</span></summary><div class="sides">',
        *_message(shown.sent, evidence),
        *_message(shown.came_back, evidence),
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
        parts.append(f'<p class="soft num"><bdi>{escaped(capital(shown.circumstances))}</bdi></p>')
    parts.append('<details class="fold"><summary>As a curl command</summary>')
    if shown.curl_note:
        parts.append(f'<p class="soft">{escaped(shown.curl_note)}</p>')
    parts.append(f'<pre tabindex="0">{escaped(shown.curl)}</pre></details></details>')
    return parts


def _message(message: ShownMessage, evidence: EvidenceHtml) -> list[str]:
    parts = [f'<div class="side"><p class="soft">{escaped(message.head)}</p>']
    if message.headers:
        parts.append(f'<pre class="headers">{escaped(message.headers)}</pre>')
    if message.more_headers:
        parts.append(f'<details class="fold"><summary>{message.more_note}</summary>')
        parts.append(f'<pre class="headers">{escaped(message.more_headers)}</pre></details>')
    if message.body:
        parts += _body(message.body, evidence)
    parts.append("</div>")
    return parts


def _body(body: ShownBody, evidence: EvidenceHtml) -> list[str]:
    parts: list[str] = []
    if body.folded:
        parts.append(fold_html("Body", body.text))
    elif body.text:
        parts.append(f"<pre>{escaped(body.text)}</pre>")
    if body.form:
        parts.append(f'<dl class="form">{"".join(map(_field, body.form))}</dl>')
    if body.evidence:
        parts.append(evidence.all(body.evidence))
    if body.note:
        parts.append(f'<p class="soft">{escaped(body.note)}</p>')
    return parts


def _field(field: Fact) -> str:
    return f"<div><dt><bdi>{escaped(field.key)}</bdi></dt><dd><bdi>{escaped(field.value)}</bdi></dd></div>"
