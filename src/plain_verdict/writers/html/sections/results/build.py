"""Results: how the checks ended, as a strip, in numbers, and against the conditions."""

import msgspec

from plain_verdict.model import ConditionResult, Outcome, State, Tally
from plain_verdict.report import Report
from plain_verdict.text.formatting import capital, count_or_share, plural, spelled
from plain_verdict.writers.html.sections.interface import PageParts, PageSection

_LEAST_WIDTH = 1.2  # per cent of the strip: a single failure among thousands must still be seen
_GAP = 0.25

Segment = tuple[Outcome, float, float]
"""An outcome's part of the strip: where it begins and how wide it is, in per cent."""


class ResultsContent(msgspec.Struct, frozen=True):
    """The strip's segments and the numbers under it; ``passed_share`` "" where nothing ran."""

    segments: list[Segment]
    counts: list[tuple[Outcome, int]]
    in_words: str
    passed_share: str
    open_conditions: list[ConditionResult]
    """Those that are not kept; kept ones are a line that opens."""
    met_conditions: list[ConditionResult]

    @property
    def met_note(self) -> str:
        """Return how many conditions are kept, in words."""
        number = len(self.met_conditions)
        if not self.open_conditions:
            return "The only condition is met" if number == 1 else f"All {spelled(number, 'condition')} are met"
        return f"{capital(spelled(number, 'condition'))} {'is' if number == 1 else 'are'} met"


def _select(report: Report, _: PageParts) -> ResultsContent:
    tally = report.tally
    conditions = [condition for condition in report.verdict.conditions if not condition.is_target]
    counts = [(outcome, tally.of(outcome)) for outcome in Outcome if tally.of(outcome)]
    return ResultsContent(
        segments=lay_out_segments(tally),
        counts=counts,
        in_words=", ".join(plural(number, outcome.value, outcome.value) for outcome, number in counts),
        passed_share=count_or_share(tally.passed, tally.ran, "that ran") if tally.ran > 1 else "",
        open_conditions=[condition for condition in conditions if condition.state is not State.MET],
        met_conditions=[condition for condition in conditions if condition.state is State.MET],
    )


def lay_out_segments(tally: Tally) -> list[Segment]:
    """Return a segment for each outcome that occurs."""
    present = [(outcome, tally.of(outcome)) for outcome in Outcome if tally.of(outcome)]
    room = 100 - _GAP * (len(present) - 1)
    widths = {outcome: max(_LEAST_WIDTH, room * number / tally.total) for outcome, number in present}
    largest = max(widths, key=lambda outcome: widths[outcome], default=None)
    if largest:
        widths[largest] -= sum(widths.values()) - room
    placed, start = [], 0.0
    for outcome, width in widths.items():
        placed.append((outcome, round(start, 3), round(width, 3)))
        start += width + _GAP
    return placed


RESULTS = PageSection("results", _select)
