"""Groups failures by likeness: what varies in a message is set aside, what stays names the group.

Merging two causes is worse than splitting one, so a message with few words of its own only joins others that were
raised at the same place of the team's own code. Linear time: each problem is looked at once.
"""

import re
from pathlib import PurePath

from plain_verdict.model import Problem
from plain_verdict.text import headline

HOLE = "…"
_CHARS = 600
_TELLING_WORDS = 4
# Words of assertion libraries, which say nothing of what went wrong.
_SAID_BY_ALL = {
    *("actual", "and", "any", "assert", "assertion", "assertionerror", "but", "deep", "deeply", "equal", "error"),
    *(
        "expected",
        "expecting",
        "failed",
        "false",
        "for",
        "got",
        "have",
        "loosely",
        "not",
        "null",
        "received",
        "same",
    ),
    *("same", "should", "strict", "strictly", "than", "that", "the", "true", "value", "values", "was", "were"),
}
_DETAIL_CHARS = 12_000

# What varies from one failure to the next, the longest forms first.
_VARIABLE = re.compile(
    r"""
    \b[0-9a-fA-F]{8}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{12}\b   # UUID
  | \b(?:https?|wss?|ftp|file)://[^\s"'<>)\]]{1,300}                                    # address
  | \b\d{4}-\d\d-\d\d(?:[T ]\d\d:\d\d(?::\d\d(?:[.,]\d{1,9})?)?(?:Z|[+-]\d\d:?\d\d)?)?  # date and time
  | \b\d{1,2}:\d\d(?::\d\d(?:[.,]\d{1,9})?)?\b                                          # time of day
  | "[^"\n]{0,200}" | '[^'\n]{0,200}' | `[^`\n]{0,200}` | “[^”\n]{0,200}” | <[^<>\n]{1,200}>   # quoted values
  | \b(?:\d{1,3}\.){3}\d{1,3}(?::\d{1,5})?\b | \[[0-9a-fA-F:]{2,45}\](?::\d{1,5})?        # network addresses
  | \b(?:[A-Za-z0-9-]{1,60}\.){1,6}(?:test|local|internal|example|com|org|net|io|dev)(?::\d{1,5})?\b   # host names
  | (?:[A-Za-z]:)?(?:[\w.@~+-]{0,100}[/\\]){1,30}[\w.@~+-]{1,100}(?::\d{1,7}){0,2}        # paths
  | \b0x[0-9a-fA-F]{1,16}\b
  | \b[\w-]{0,40}\d[\w-]{0,40}(?:[.,]\d{1,12}){0,4}(?:\s?(?:ms|s|sec|seconds|min|kB|MB|%))?\b  # numbers, ids
    """,
    re.VERBOSE,
)
_WORD = re.compile(r"[^\W\d_]{3,}")
_FRAMES = (
    re.compile(r'^\s*File "(?P<file>[^"\n]{1,300})", line \d{1,7}, in (?P<name>[^\n]{1,120})', re.MULTILINE),
    re.compile(
        r"^\s*at (?:async )?(?:(?P<name>[^\s(]{1,200}) )?\(?(?P<file>[^\s()]{1,300}?):\d{1,7}:\d{1,7}\)?",
        re.MULTILINE,
    ),
    re.compile(r"^\s*at (?P<name>[\w.$<>/@]{1,200})\((?P<file>[\w$-]{1,100}\.\w{1,10}):\d{1,7}\)", re.MULTILINE),
    re.compile(r"^(?P<file>[\w./\\-]{1,200}\.py):\d{1,7}: (?P<name>)", re.MULTILINE),
)
_NOT_OURS = re.compile(
    r"site-packages|dist-packages|/lib/python|<frozen|node_modules|node:|^(?:java|javax|jdk|sun|kotlin|scala)\."
    r"|^org\.(?:junit|testng|hamcrest|assertj|opentest4j|openqa|apache\.maven)\.|Thread\.java"
)


def pattern_of(problem: Problem) -> tuple[str, ...]:
    """Return what is alike in all failures of a group: type, message with holes, and a place where it needs one."""
    template = template_of(problem)
    parts = (problem.type.rpartition(".")[2], template)
    return parts if has_telling_words(template) else (*parts, own_place(problem.detail))


def has_telling_words(template: str) -> bool:
    """Return whether a message has enough words of its own to tell its cause by itself."""
    return len({word.casefold() for word in _WORD.findall(template)} - _SAID_BY_ALL) >= _TELLING_WORDS


def template_of(problem: Problem) -> str:
    """Return the message's telling line with its variable parts as holes."""
    line = headline(problem.message or problem.detail)[:_CHARS]
    return re.sub(rf"{HOLE}(?:[\s,;]*{HOLE})+", HOLE, _VARIABLE.sub(HOLE, line)).strip()


def marked(problem: Problem) -> tuple[tuple[str, bool], ...]:
    """Return the message's telling line in pieces, each with whether it is a variable part."""
    line = headline(problem.message or problem.detail)[:_CHARS]
    pieces: list[tuple[str, bool]] = []
    at = 0
    for found in _VARIABLE.finditer(line):
        pieces += [(line[at : found.start()], False), (found[0], True)]
        at = found.end()
    return tuple(piece for piece in (*pieces, (line[at:], False)) if piece[0])


def own_place(detail: str) -> str:
    """Return the innermost stack line that is the team's own code, as ``file function``; "" if there is none."""
    text = detail[-_DETAIL_CHARS:]
    for number, form in enumerate(_FRAMES):
        frames = [(found["file"], found["name"] or "") for found in form.finditer(text)]
        # Python tells the innermost frame last, the others first.
        inwards = reversed(frames) if number in (0, 3) else frames
        own = ((file, name) for file, name in inwards if not (_NOT_OURS.search(file) or _NOT_OURS.search(name)))
        file, name = next(own, ("", ""))
        if file:
            return f"{PurePath(file.replace(chr(92), '/')).name} {name}"
    return ""
