"""Draws what a check was in the builds before: a bar a build, as high as it took long; what failed hangs below."""

from collections.abc import Sequence
from functools import cache

from markupsafe import Markup

from plain_verdict.model import Build, Check, Past
from plain_verdict.report.history import describe_trace
from plain_verdict.text.formatting import capital
from plain_verdict.writers.html.checks.escaping import escaped

_STEP, _WIDTH, _BASE, _HIGHEST, _BELOW = 8, 6, 18, 16, 7
_HEIGHT = _BASE + _BELOW + 3
_BAR_UNIT = 4  # heights are few, so that strips take little room in a large page
_CLASSES = {Past.PASSED: "good", Past.PASSED_ON_RETRY: "retried", Past.FAILED: "bad", Past.ERRORED: "bad"}


def trace_html(check: Check, past: Sequence[tuple[Build, Past, float | None]]) -> Markup:
    """Return the strip of a check, this run last, with the same in words; nothing where there is no earlier run."""
    if not past:
        return Markup()
    words = describe_trace(past)
    now = Past.PASSED_ON_RETRY if check.flaky else _PAST[check.outcome.value]
    bars = [*((past_outcome, took) for _, past_outcome, took in past), (now, check.last.took_s)]
    width = len(bars) * _STEP
    drawn = "".join(f'<path class="{name}" d="{path}"/>' for name, path in _bar_paths(bars).items() if path)
    last = f'<path class="now" d="M{width - _STEP} {_BASE + _BELOW + 2}h{_WIDTH}"/>'
    return Markup(  # noqa: S704  numbers and words of our own; the labels of builds are escaped
        f'<p class="trace"><svg width="{width}" height="{_HEIGHT}" aria-hidden="true">{drawn}{last}</svg>'
        f" <span>{escaped(capital(words))}</span></p>"
    )


def _bar_paths(bars: Sequence[tuple[Past, float | None]]) -> dict[str, str]:
    """Return a path for each class of bars: far fewer elements than one for each bar."""
    longest = max((took or 0.0 for _, took in bars), default=0.0) or 1.0
    paths = {"good": "", "retried": "", "bad": "", "open": ""}
    for position, (item, took) in enumerate(bars):
        if item is Past.ABSENT:
            continue
        name, bar = _bar(position, item, max(1, round(_HIGHEST / _BAR_UNIT * (took or 0.0) / longest)))
        paths[name] += bar
    return paths


@cache
def _bar(position: int, item: Past, units: int) -> tuple[str, str]:
    """Return the class and the path of a bar: strips of many checks have the same few bars."""
    name = _CLASSES.get(item, "open")
    down = _BELOW if name == "bad" else 0
    up = 2 if name == "open" else _BAR_UNIT * units
    return name, f"M{position * _STEP + _WIDTH // 2} {_BASE + down}v-{up + down}"


_PAST = {past.words: past for past in Past}
