"""Stack lines in details: which are the team's own code, the innermost first."""

import re
from collections.abc import Iterator

from plain_verdict.text.patterns import pattern

DETAIL_CHARS = 12_000  # the end of a log has the error; its beginning is set-up
_PYTHON_FRAME = pattern(
    r'^\s*File "(?P<file>[^"\n]{1,300})", line \d{1,7}, in (?P<name>[^\n]{1,120})', re.MULTILINE
)
_PYTHON_LOCATION = pattern(r"^(?P<file>[\w./\\-]{1,200}\.py):(?P<name>\d{1,7}): ", re.MULTILINE)
_PHP_LOCATION = pattern(r"^(?P<file>[\w./\\:-]{1,300}\.(?:php|phpt)):(?P<name>\d{1,7})$", re.MULTILINE)
FRAMES = (
    _PYTHON_FRAME,
    pattern(
        r"^\s*at (?:async )?(?:(?P<name>[^\s(]{1,200}) )?\(?(?P<file>[^\s()]{1,300}?):(?P<line>\d{1,7}):\d{1,7}\)?",
        re.MULTILINE,
    ),
    pattern(r"^\s*at (?P<name>[\w.$<>/@]{1,200})\((?P<file>[\w$-]{1,100}\.\w{1,10}):\d{1,7}\)", re.MULTILINE),
    _PYTHON_LOCATION,
    _PHP_LOCATION,
)
_ANONYMOUS = pattern(r"(?:Object|Context|TestContext|Test|Suite)\.|<anonymous>|$")
_NOT_OURS = pattern(
    r"site-packages|dist-packages|/lib/python|<frozen|node_modules|node:|^(?:java|javax|jdk|sun|kotlin|scala)\."
    r"|^org\.(?:junit|testng|hamcrest|assertj|opentest4j|openqa|apache\.maven)\.|Thread\.java"
)


def code_locations(detail: str) -> Iterator[str]:
    """Yield the stack lines that are the team's own code, the innermost first, as ``file function``."""
    text = detail[-DETAIL_CHARS:]
    for form in FRAMES:
        is_team_code = False
        for frame in _inwards(form, text):
            if not (_NOT_OURS.search(frame["file"]) or _NOT_OURS.search(frame["name"] or "")):
                is_team_code = True
                yield _location(frame)
        if is_team_code:
            return


def _location(frame: re.Match[str]) -> str:
    """Return a frame's file and function; its line where the function has no name."""
    file, name = frame["file"].replace("\\", "/").rpartition("/")[2], frame["name"] or ""
    if name.isdigit() or _ANONYMOUS.match(name):
        name = f"line {frame.groupdict().get('line') or name}"
    return f"{file} {name}".strip()


def _inwards(form: re.Pattern[str], text: str) -> Iterator[re.Match[str]]:
    """Yield the frames of a form, the innermost first: Python tells it last, the others first."""
    if form is _PYTHON_FRAME:
        # From the end: the last frame is all that is needed of most.
        at = len(text)
        while (at := text.rfind('File "', 0, at)) >= 0:
            found = form.match(text, text.rfind("\n", 0, at) + 1)
            if found:
                yield found
    elif form is _PYTHON_LOCATION:
        yield from reversed(list(form.finditer(text)))
    else:
        yield from form.finditer(text)
