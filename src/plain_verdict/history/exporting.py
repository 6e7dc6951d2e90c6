"""All checks of every build as a table: CSV (RFC 4180), or Parquet where pyarrow is there."""

import csv
from collections.abc import Iterable, Sequence
from io import StringIO
from pathlib import Path

from plain_verdict.model import Build, CheckIndex, KeptRun, Past, in_order
from plain_verdict.runtime.errors import UsageError, WriteError
from plain_verdict.text.cells import written_cell
from plain_verdict.text.packages import require

COLUMNS = ("series", "build", "started", "verdict", "branch", "commit", "id", "check", "outcome", "took_s")


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


def _of_build(build: Build) -> tuple[object, ...]:
    """Return what is the same in all rows of a build."""
    started = in_order(build.started) if build.started else None
    return (build.series, build.label, started, build.verdict.value, build.branch, build.commit)


def _write_csv(path: Path, runs: Iterable[KeptRun]) -> int:
    number = 0
    words = {past.value: past.words for past in Past}
    names = _Names()
    with path.open("w", encoding="utf-8", newline="", errors="replace") as file:
        file.write(_line(COLUMNS))
        for run in runs:
            lead = _line(_of_build(run.build)).rstrip("\r\n")
            times = run.times or [0] * len(run.outcomes)
            rows = [
                f"{lead},{check},{words[letter]},{took / 1000 if took else ''}\r\n"
                for check, letter, took in zip(names.of(run.check_index), run.outcomes, times, strict=True)
                if letter != Past.ABSENT
            ]
            file.writelines(rows)
            number += len(rows)
    return number


class _Names:
    """Ids and names as they stand in a line; builds with the same checks share them."""

    def __init__(self) -> None:
        self._index = CheckIndex()
        self._texts: Sequence[str] = ()

    def of(self, index: CheckIndex) -> Sequence[str]:
        if index is not self._index:
            rows = zip(index.ids, index.names, strict=True)
            self._index, self._texts = index, [_line(row).rstrip("\r\n") for row in rows]
        return self._texts


def _line(cells: Iterable[object]) -> str:
    line = StringIO()
    csv.writer(line, lineterminator="\r\n").writerow([written_cell(cell) for cell in cells])
    return line.getvalue()


def _write_parquet(path: Path, runs: Iterable[KeptRun]) -> int:
    from plain_verdict.history.parquet import write_parquet  # an extra, for tables in columns

    return write_parquet(path, COLUMNS, ((_of_build(run.build), run) for run in runs))
