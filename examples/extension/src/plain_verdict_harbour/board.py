"""An output: the lines for the board in the harbour office, of 40 characters each."""

from collections.abc import Iterator

from plain_verdict.extension import OutputFile, Report

WIDTH = 40


class BoardWriter:
    """Writes the board."""

    name = "board"
    suffix = ".txt"
    about = "lines for the board in the harbour office"
    is_layout = False

    def render(self, report: Report) -> Iterator[OutputFile]:
        """Yield one text file: the verdict, the numbers, and each cause."""
        tally = report.tally
        lines = [report.verdict.word.value.upper(), f"{tally.passed} of {tally.ran} passed"]
        lines += [f"{len(cause.checks)}x {cause.name}" for cause in report.verdict.causes]
        text = "".join(f"{line[:WIDTH]}\n" for line in lines)
        yield OutputFile("board.txt", text.encode())
