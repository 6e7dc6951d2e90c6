"""All checks of every build as a table: CSV (RFC 4180), or Parquet where pyarrow is there."""

import csv
from collections.abc import Iterable, Iterator
from datetime import datetime
from pathlib import Path

from plain_verdict.model import KeptRun, Past, in_order
from plain_verdict.runtime.errors import UsageError, WriteError
from plain_verdict.text.cells import written_cell
from plain_verdict.text.packages import require

COLUMNS = ("series", "build", "started", "verdict", "branch", "commit", "id", "check", "outcome", "took_s")
Row = tuple[str, str, datetime | None, str, str, str, str, str, str, float | None]


def check_export(path: Path) -> None:
    """Make sure that a table can be written there. Raises UsageError."""
    if path.suffix not in (".csv", ".parquet"):
        raise UsageError("is not a table", path=str(path), hint="end it in .csv or .parquet")
    if path.suffix == ".parquet":
        require("pyarrow.parquet", "it", "load", "write a .csv", path=str(path))


def write_export(path: Path, runs: Iterable[KeptRun]) -> int:
    """Write the table and return how many rows it has. Raises WriteError."""
    part = path.with_name(f".{path.name}.part")
    try:
        number = (_write_csv if path.suffix == ".csv" else _write_parquet)(part, runs)
        part.replace(path)
    except OSError as error:
        raise WriteError(f"could not be written ({error.strerror})", path=str(path)) from error
    finally:
        part.unlink(missing_ok=True)
    return number


def _rows(run: KeptRun) -> Iterator[Row]:
    build = run.build
    words = {past.value: past.words for past in Past}
    times = run.times or [0] * len(run.outcomes)
    for id_, name, letter, took in zip(
        run.check_index.ids, run.check_index.names, run.outcomes, times, strict=True
    ):
        if letter != Past.ABSENT:
            yield (
                build.series,
                build.label,
                in_order(build.started) if build.started else None,
                build.verdict.value,
                build.branch,
                build.commit,
                id_,
                name,
                words[letter],
                took / 1000 if took else None,
            )


def _write_csv(path: Path, runs: Iterable[KeptRun]) -> int:
    number = 0
    with path.open("w", encoding="utf-8", newline="", errors="replace") as file:
        writer = csv.writer(file, lineterminator="\r\n")
        writer.writerow(COLUMNS)
        for run in runs:
            for row in _rows(run):
                writer.writerow([written_cell(cell) for cell in row])
                number += 1
    return number


def _write_parquet(path: Path, runs: Iterable[KeptRun]) -> int:
    from plain_verdict.history.parquet import write_parquet  # an extra, for tables in columns

    return write_parquet(path, COLUMNS, (list(_rows(run)) for run in runs))
