"""The line of a problem that says what went wrong, among banners, headings, diffs and stacks of many runners."""

import re
from functools import lru_cache
from itertools import islice

from plain_verdict.judging.stack import DETAIL_CHARS, FRAMES
from plain_verdict.model import Problem
from plain_verdict.text.cleaning import MEANS_LITTLE
from plain_verdict.text.patterns import pattern

COMPARED_CHARS = 600  # of a message: what sets failures apart stands at its beginning
_NO_LETTERS = pattern(r"[\W_]+")
# Lines that say that something failed, and not what: of several runners each.
_MEANS_NOTHING = pattern(
    r"(?:tests?|check|case|suite|collection|assertion|expectation|unknown)?[ _]?(?:failures?|failed|errors?)?[.!:]?"
    r"|(?:failed|error) (?:on|at|in|during) (?:setup|teardown|tear[- ]down|collection|call)\b.*"
    r"|expected (?:values?|equality|inputs?|.{0,20}expression)\b.{0,60}:|(?:exit|return)[ -]?(?:code|status)?"
    r"|(?:uncaught|unhandled) (?:error|exception)[.!:]?|none|null|assert(?:ion)?[ _]?error[.!:]?"
    r"|\[?object.{0,20}\]?"
    # Banners and progress.
    r"|(?:not )?ok \d{1,6}\b.{0,200}"
    r"|(?:pass|fail|run):? {1,4}\S{1,200}|[-=_.*#~ ]{3,}|(?:={3}|-{3}|\+{3}|@@) .{0,200}"
    r"|\((?:in test file|from function) .{0,300}|#? {0,6}failed test\b.{0,200}|#? {0,6}at \S{1,200} line \d{1,7}\.?"
    r"|terminate called\b.{0,200}|\+ +where .{1,600}|fix (?:any|all) of the following:"
    r"|async .{0,80}\(index \d{1,4}\)"
    r"|structures begin differing at:"
    r"|\S{1,300}:PASS|skipping .{0,40}identical (?:leading|trailing) characters.{0,80}"
    r"|[-+] (?:expected|received|actual)\b.{0,20}"
    r"|\[… [\d,]+ characters left out here …\]"
    # A line of an object that is shown.
    r"|[\"']?[\w$-]{1,60}[\"']?: .{1,200},"
    # A test's full name, with its data.
    r"|[\w\\]{1,200}::\w{1,100}(?: with data set .{1,600})?",
    re.IGNORECASE,
)
# That no exception came: of which check, and of what it did, it says nothing.
_NO_EXCEPTION = pattern(
    r"missing expected (?:exception|rejection)\b.{0,300}"
    r"|(?:.{0,200} )?(?:not raised|did not (?:raise|throw))\b.{0,300}"
    r"|failed asserting that exception of type .{1,200} is thrown.{0,20}|expected .{0,200} to throw\b.{0,200}",
    re.IGNORECASE | re.DOTALL,
)
_EXIT = pattern(
    r"dubious, test returned .{0,100}"
    r"|(?:.{0,100} )?exit(?:ed|s)?(?: with)? (?:code|status):? ?(?:-?\d{1,4}|…)\.?",
    re.IGNORECASE,
)
# What runners call a failure of any kind, before the real one.
_GENERIC_TYPE = pattern(
    r"^(?:(?:uncaught|unhandled) )?(?:error|exception|assertionerror|failure): (?=\S)", re.IGNORECASE
)
_NOT_OK = pattern(r"^(?:not ok \d{1,6}(?: -)?(?: +|$)|what\(\): +(?=\S))")
"""Source: TAP 14, test points; C++ says the other."""
_LOG_PREFIX = pattern(r"^(?:[\w.@~+-]{0,80}[/\\]){0,20}[\w.-]{1,80}\.[a-z]{1,4}:\d{1,6}(?::\d{1,5})?: *(?=\S)")
_FAILED_COMMAND = pattern(r"`.{1,600}' failed(?: with status \d{1,3})?")
WRAPPERS = pattern(
    r"(?:testCodeFailure|TestFailed|subtestsFailed|hookFailed|failure|failed|error|(?:\w*\.)*(?:AssertionError|AssertionFailedError|"
    r"ExpectationFailedException|AssertionFailedException|JestAssertionError|AssertionFailure))?"
)
_TELLING = (
    pattern(r"^(?:\S{1,300}:\d{1,7}:)?(?P<line>\w{1,160}:FAIL: [^\n]{1,400})", re.MULTILINE),
    pattern(r"^E[ \t]+(?P<line>\S[^\n]{0,600})", re.MULTILINE),
    pattern(r"^(?P<line>fixture [^\n]{1,80} not found)", re.MULTILINE),
    pattern(r"^>[ \t]+(?P<line>\S[^\n]{2,300})", re.MULTILINE),
    pattern(
        r"^(?P<line>(?:Caused by: )?[\w.$]{1,120}(?:Error|Exception|Failure|Failed|Interrupt|Exit)\b"
        r"(?:: ?[^\n]{1,600}))$",
        re.MULTILINE,
    ),
    pattern(
        r"^[ \t]*(?P<line>(?:[\w ]{0,40}\b)?(?:got|actual|received|was|found|have)\b[ \t]*[:=][^\n]{1,300})",
        re.MULTILINE | re.IGNORECASE,
    ),
    pattern(
        r"(?P<line>[^\n]{0,80}\b(?:SIG[A-Z]{3,5}|signal \d{1,2}|segmentation fault|timed? ?out"
        r"|exit(?:ed)?(?: with)? (?:code|status):? -?\d{1,4})\b[^\n]{0,120})",
        re.IGNORECASE,
    ),
)
_PROBLEM_CODE = pattern(r"\b[A-Z]{1,8}[-_]?\d{1,6}\b")
_CODES = pattern(r"(?:\w{1,20}: )?[A-Z]{1,8}[-_]?\d{1,6}(?:[,; ]{1,3}[A-Z]{1,8}[-_]?\d{1,6}){0,40}")
_CODE_TITLE = pattern(
    r"\b(?P<code>[A-Z]{1,8}[-_]?\d{1,6})\b[\s:|\])-]{1,8}(?![A-Z]{1,8}[-_]?\d)(?P<title>\w[^\n]{2,160})"
)
_TEST_NUMBER = pattern(r"^\d{1,6} - ")  # of a test point, before its name
_SEARCHED_LINES = 60  # of a detail: what tells comes first or last
_SHORTEST_CHARS = 3  # of a line that tells something


def bare_line(line: str, kind: str) -> str:
    """Return a line without a type that is known already, the number of a test point, and a log's prefix."""
    line = _GENERIC_TYPE.sub("", line)
    return _LOG_PREFIX.sub("", _NOT_OK.sub("", line.removeprefix(f"{kind}: ") if kind else line))


def is_name(line: str, name: str) -> bool:
    """Return whether a line is only the check's own name, or a part of it, or it with its class."""
    bare, bare_name = _bare(line), _bare(name)
    return bare in bare_name or (bool(bare_name) and " " not in line and bare.endswith(bare_name))


def repeats_name(line: str, name: str) -> bool:
    """Return whether a line has no other words than the check's name, with or without its number."""
    bare = _bare(_NOT_OK.sub("", line))
    return bool(bare) and bare in (_bare(name), _bare(_TEST_NUMBER.sub("", name)))


def _bare(text: str) -> str:
    return _NO_LETTERS.sub("", text).casefold()


def codes_with_titles(head: str, problem: Problem) -> str:
    """Return a line that only has codes with the title that the rest of the problem has for each; "" for none."""
    if not _CODES.fullmatch(head):
        return ""
    titles = {
        found["code"]: found["title"].strip()
        for text in (problem.message, problem.detail)
        for found in islice(_CODE_TITLE.finditer(text[:DETAIL_CHARS]), _SEARCHED_LINES)
    }
    codes = dict.fromkeys(code for code in _PROBLEM_CODE.findall(head) if code in titles)
    return "; ".join(f"{code}: {titles[code]}" for code in codes)


def line_of(name: str, detail: str, head: str) -> str:
    """Return the first line of a detail that tells something, other than ``head``; "" if there is none."""
    text = detail[-DETAIL_CHARS:]
    found = next(filter(None, (_first_of_form(form, text, name, head) for form in _TELLING)), "")
    return (found or _first_telling(text, name, head))[:COMPARED_CHARS]


def _first_of_form(form: re.Pattern[str], text: str, name: str, head: str) -> str:
    lines = (match["line"].strip() for match in islice(form.finditer(text), _SEARCHED_LINES))
    return next((line for line in lines if line != head and not is_empty(line, name)), "")


def is_empty(line: str, name: str) -> bool:
    """Return whether a line says nothing of what went wrong."""
    return bool(_MEANS_NOTHING.fullmatch(line)) or is_name(line, name)


def lacks_words(text: str, name: str) -> bool:
    """Return whether a problem's text says only that the check of this name failed."""
    return bool(_MEANS_NOTHING.fullmatch(text)) or repeats_name(text, name)


def _first_telling(text: str, name: str, head: str) -> str:
    """Return the first line of any form; what a shell's command says tells more than the command that failed."""
    lines = (line.strip() for line in text.split("\n", _SEARCHED_LINES)[:_SEARCHED_LINES])
    telling = [line for line in lines if len(line) > _SHORTEST_CHARS and line != head and _is_telling(line, name)]
    answers = (line for line in telling if not _FAILED_COMMAND.fullmatch(line))
    return next(answers, telling[0] if telling else "")


@lru_cache(4_096)
def lacks_exception(template: str) -> bool:
    """Return whether a line says only that an exception did not come."""
    return bool(_NO_EXCEPTION.fullmatch(template))


@lru_cache(4_096)
def is_exit(template: str) -> bool:
    """Return whether a line says only how a program ended."""
    return bool(_EXIT.fullmatch(template))


def _is_telling(line: str, name: str) -> bool:
    return not (MEANS_LITTLE.fullmatch(line) or is_empty(line, name)) and not any(
        form.match(line) for form in FRAMES
    )
