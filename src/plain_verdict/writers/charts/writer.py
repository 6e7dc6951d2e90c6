"""Writes the charts of a load run as picture files. What draws them is imported when they are wanted."""

from collections.abc import Iterator

from plain_verdict.report import Report
from plain_verdict.text.packages import require
from plain_verdict.writers.interface import OutputFile


class ChartsWriter:
    """Writes each chart twice: PNG for mail and slides, SVG for print."""

    name = "charts"
    suffix = ""
    about = "the charts of a load run as PNG and SVG files"
    is_layout = False

    def render(self, report: Report) -> Iterator[OutputFile]:
        """Yield the pictures; none where there is no load run."""
        if report.load is None:
            return
        self.check()
        from plain_verdict.writers.charts.drawing import draw  # a large library

        accent = report.info.brand.accent_light
        for chart in (*report.load.charts, *([report.load.heat] if report.load.heat else ())):
            for form in ("png", "svg"):
                yield OutputFile(f"{chart.name}.{form}", draw(chart, accent, form))

    def check(self) -> None:
        """Make sure that they can be drawn here. Raises UsageError."""
        require("matplotlib.figure", "--charts", "charts")
