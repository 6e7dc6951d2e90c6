"""Records what pytest runs: each test a check, reruns as attempts, in one file for each worker."""

import inspect
import textwrap
from collections.abc import Generator
from pathlib import Path

import pytest

from plain_verdict_recorder.lines import kind_of, values_of
from plain_verdict_recorder.recording import Node, Recorder

_SOURCE_LINES = 60  # of a doctest that failed
_NO_TAGS = {"parametrize", "usefixtures", "filterwarnings", "skip", "skipif", "xfail", "flaky"}
_OUTPUT_NAMES = {"Captured stdout": "stdout", "Captured stderr": "stderr", "Captured log": "log"}


class Recording:
    """The plugin that is registered when recording is asked for."""

    def __init__(self, config: pytest.Config, folder: str) -> None:
        worker = getattr(config, "workerinput", {}).get("workerid", "")
        self.recorder = Recorder(config.invocation_params.dir / folder, worker=worker)
        self._node: Node | None = None
        self._reports: list[tuple[pytest.TestReport, pytest.CallInfo[None]]] = []
        self._attempts: dict[str, int] = {}
        self._source = ""

    @pytest.hookimpl(wrapper=True, tryfirst=True)
    def pytest_runtest_setup(self, item: pytest.Item) -> Generator[None, None, None]:
        """Begin the check before its fixtures, so that their steps belong to it."""
        self._reports = []
        self._source = source_of(item)
        # A test that runs again, whichever plugin asks for it, is another attempt.
        self._attempts[item.nodeid] = attempt = self._attempts.get(item.nodeid, 0) + 1
        self._node = Node(self.recorder, "check", name_of(item), {**about(item), "attempt": attempt})
        self._node.__enter__()
        return (yield)

    @pytest.hookimpl(wrapper=True)
    def pytest_runtest_makereport(
        self, call: pytest.CallInfo[None]
    ) -> Generator[None, pytest.TestReport, pytest.TestReport]:
        """Collect the reports of a test's phases, and end the check with the last."""
        report = yield
        self._reports.append((report, call))
        if report.when == "teardown" and self._node is not None:
            self._end(self._node)
            self._node = None
        return report

    def _end(self, node: Node) -> None:
        recorder = self.recorder
        error = next((call.excinfo.value for _, call in self._reports if call.excinfo), None)
        recorder.note_unanswered(node, error)
        node.leave()
        outcome, reason, problems = "passed", "", []
        for report, call in self._reports:
            expected_to_fail = getattr(report, "wasxfail", None)
            if report.failed:
                # A test that fails has an expectation that is not met; a fixture that fails could not prepare it.
                found = "failed" if report.when == "call" else "errored"
                outcome = "errored" if "errored" in (found, outcome) else "failed"
                problems.append(problem_of_report(report, call, found))
            elif report.skipped:
                outcome, reason = "skipped", reason_of_skip(report)
            elif expected_to_fail is not None and report.when == "call":
                reason = f"passed, but was expected to fail: {expected_to_fail}".rstrip(": ")
        self._write_outputs(node.id)
        if outcome == "passed" and node.unmet:
            outcome = "failed"
        recorder.finish(node.id, outcome, reason, problems)

    def _write_outputs(self, id_: str) -> None:
        """Note what the test printed, and the test itself."""
        for name, text in self._reports[-1][0].sections:
            title = next((short for long, short in _OUTPUT_NAMES.items() if name.startswith(long)), name)
            self.recorder.write({"what": "output", "in": id_, "name": f"{title}, {name.split()[-1]}", "text": text})
        if self._source:
            self.recorder.write({"what": "output", "in": id_, "name": "Code", "text": self._source})


def reason_of_skip(report: pytest.TestReport) -> str:
    """Return why a test was skipped, or that it failed as it was expected to."""
    expected_to_fail = getattr(report, "wasxfail", None)
    if expected_to_fail is not None:
        return f"expected to fail: {expected_to_fail}".rstrip(": ")
    text = report.longrepr[2] if isinstance(report.longrepr, tuple) else ""
    return text.removeprefix("Skipped: ")


def source_of(item: pytest.Item) -> str:
    """Return the test's own source, to look at beside what failed; of a long one its beginning."""
    try:
        lines, _ = inspect.getsourcelines(getattr(item, "obj", None))  # type: ignore[arg-type]  # any object may come
    except (TypeError, OSError):  # made at run time, or its file is gone
        return ""
    more = len(lines) - _SOURCE_LINES
    text = textwrap.dedent("".join(lines[:_SOURCE_LINES]))
    return f"{text}[… {more} more lines]" if more > 0 else text


def name_of(item: pytest.Item) -> str:
    """Return the test's name without its parameters."""
    return getattr(item, "originalname", None) or item.name


def about(item: pytest.Item) -> dict[str, object]:
    """Return what a check line says of a test besides its name."""
    path, line, _ = item.location
    callspec = getattr(item, "callspec", None)
    parents = item.nodeid.split("[")[0].split("::")[1:-1]
    doc = (getattr(getattr(item, "obj", None), "__doc__", None) or "").strip()
    return {
        # As pytest's own result file names it, so that both tell of the same checks.
        "suite": [".".join((Path(path).with_suffix("").as_posix().replace("/", "."), *parents))],
        "parameters": {key: str(value) for key, value in callspec.params.items()} if callspec else {},
        "tags": [mark.name for mark in item.iter_markers() if mark.name not in _NO_TAGS],
        "description": doc.split("\n\n")[0],
        "file": Path(path).as_posix(),
        "line": (line or 0) + 1,
    }


def problem_of_report(report: pytest.TestReport, call: "pytest.CallInfo[None]", outcome: str) -> dict[str, object]:
    """Return the problem of a phase that failed."""
    error = call.excinfo.value if call.excinfo else None
    return {
        "outcome": outcome,
        "type": kind_of(error) if error else "",
        "message": str(error) if error else report.longreprtext.strip().rsplit("\n", 1)[-1],
        "detail": report.longreprtext,
        **values_of(error),
    }
