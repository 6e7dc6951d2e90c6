"""The extension by itself: what each part makes of what it is given."""

import pytest
from plain_verdict_harbour.board import BoardWriter
from plain_verdict_harbour.gate_log import GateLogReader
from plain_verdict_harbour.gates import GATES
from plain_verdict_harbour.slow_checks import SLOW_CHECKS

from plain_verdict.extension import Outcome, ReadError, Table
from plain_verdict.extension.testing import check_of, read, report_of, scope_of

LOG = """\
gate log of Sandvik harbour
06:10  ok      North gate / opens within a minute      41.5 s
06:12  FAILED  North gate / stops for a boat            3.0 s   the boom came down on the fender
06:20  left    South gate / opens within a minute       0.0 s   no slack water
"""


def test_each_line_is_a_check():
    file = read(GateLogReader(), LOG, "gates.log")
    assert [(check.suite, check.name, check.outcome) for check in file.checks] == [
        (("North gate",), "opens within a minute", Outcome.PASSED),
        (("North gate",), "stops for a boat", Outcome.FAILED),
        (("South gate",), "opens within a minute", Outcome.SKIPPED),
    ]
    assert file.checks[1].last.problems[0].message == "the boom came down on the fender"
    assert file.title == "Sandvik harbour"


def test_a_line_that_can_not_be_read_is_noted():
    (note,) = read(GateLogReader(), LOG + "06:21  maybe\n").notes
    assert (note.where, note.results_missing) == ("line 5", True)


def test_other_files_are_left_to_others():
    with pytest.raises((ReadError, ValueError)):
        read(GateLogReader(), "<testsuite/>")


def test_slow_checks_are_counted():
    scope = scope_of(check_of("a", took_s=61.0), check_of("b", took_s=2.0))
    assert SLOW_CHECKS.describe(scope, SLOW_CHECKS.find(scope)) == "1 over 60 s"
    assert SLOW_CHECKS.find(scope_of(check_of("a"))) is None


def test_the_section_has_a_row_for_each_gate():
    slow = check_of("opens", suite=("North gate",), took_s=50.0)
    _, table = GATES.build(report_of(slow, check_of("stops", Outcome.FAILED, suite=("North gate",))))
    assert isinstance(table, Table)
    assert table.rows == (("North gate", 2, 1, slow, 50.0),)
    assert GATES.build(report_of(check_of("sails"))) is None


def test_the_board_tells_the_verdict():
    report = report_of(check_of("opens"), check_of("stops", Outcome.FAILED, message="the boom came down"))
    (file,) = BoardWriter().render(report)
    assert b"".join(file.chunks()).decode() == "NOT FIT\n1 of 2 passed\n1x the boom came down\n"
