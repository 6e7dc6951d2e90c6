"""Groups failures by similarity: what varies in a message is ignored, what stays names the group.

Merging two causes is worse than splitting one, so a message with few words only joins others that were
raised at the same place of the team's own code. What unlike failures of a run all say, a heading of the runner or a
helper's place in the stack, tells nothing and is passed over. Linear time: each problem is looked at twice.
"""

import re
from collections import Counter, defaultdict
from collections.abc import Sequence
from functools import lru_cache
from itertools import islice

from plain_verdict.judging.differences import MATCHER, Difference, difference_of, words_after_values
from plain_verdict.judging.stack import DETAIL_CHARS, FRAMES, code_locations
from plain_verdict.model import Problem
from plain_verdict.text.cleaning import MEANS_LITTLE, headline

HOLE = "…"
_HOLES = re.compile(rf"{HOLE}(?:[\s,;]*{HOLE})+")
_COMPARED_CHARS = 600  # of a message: what sets failures apart stands at its beginning
_TELLING_WORDS = 4
# Words of assertion libraries, which say nothing of what went wrong.
_COMMON_TO_ALL = {
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

# What varies from one failure to the next, the longest forms first, each with signs of which it has one.
_VARIABLE = (
    (r"\b[0-9a-fA-F]{8}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{12}\b", "-"),  # UUID
    (r"\b(?:https?|wss?|ftp|file)://[^\s\"'<>)\]]{1,300}", "/"),  # address
    (r"\b\d{4}-\d\d-\d\d(?:[T ]\d\d:\d\d(?::\d\d(?:[.,]\d{1,9})?)?(?:Z|[+-]\d\d:?\d\d)?)?", "-"),  # date and time
    (r"\b\d{1,2}:\d\d(?::\d\d(?:[.,]\d{1,9})?)?\b", ":"),  # time of day
    (
        r"\"[^\"\n]{0,200}\"|'[^'\n]{0,200}'|`[^`\n]{0,200}`|“[^”\n]{0,200}”|<[^<>\n]{1,200}>",
        "\"'`“<",
    ),  # quoted values
    (r"\b(?:\d{1,3}\.){3}\d{1,3}(?::\d{1,5})?\b|\[[0-9a-fA-F:]{2,45}\](?::\d{1,5})?", ".["),  # network addresses
    (
        r"\b(?:[A-Za-z0-9-]{1,60}\.){1,6}(?:test|local|internal|example|com|org|net|io|dev)(?::\d{1,5})?\b",
        ".",
    ),  # host names
    (r"(?:[A-Za-z]:)?(?:[\w.@~+-]{0,100}[/\\]){1,30}[\w.@~+-]{1,100}(?::\d{1,7}){0,2}", "/\\"),  # paths
    (r"\b0x[0-9a-fA-F]{1,16}\b", "x"),
    (
        r"\b[\w-]{0,40}\d[\w-]{0,40}(?:[.,]\d{1,12}){0,4}(?:\s?(?:ms|s|sec|seconds|min|kB|MB|%))?\b",
        "",
    ),  # numbers, ids
)
_LINE_SIGNS = frozenset("".join(signs for _, signs in _VARIABLE))
_LETTERS_WORD = re.compile(r"[^\W\d_]{3,}")
_NO_LETTERS = re.compile(r"[\W_]+")
# Lines that say that something failed, and not what: of several runners each.
_MEANS_NOTHING = re.compile(
    r"(?:tests?|check|case|suite|collection|assertion|expectation|unknown)?[ _]?(?:failures?|failed|errors?)?[.!:]?"
    r"|(?:failed|error) (?:on|at|in|during) (?:setup|teardown|tear[- ]down|collection|call)\b.*"
    r"|expected (?:values?|equality|inputs?|.{0,20}expression)\b.{0,60}:|(?:exit|return)[ -]?(?:code|status)?"
    r"|(?:uncaught|unhandled) (?:error|exception)[.!:]?|none|null|assert(?:ion)?[ _]?error[.!:]?"
    r"|\[?object.{0,20}\]?"
    # Banners and progress.
    r"|(?:not )?ok \d{1,6}\b.{0,200}|(?:pass|fail|run):? {1,4}\S{1,200}|[-=_.*#~ ]{3,}|(?:={3}|-{3}) .{0,200}"
    r"|\((?:in test file|from function) .{0,300}|#? ?failed test\b.{0,200}|#? {0,4}at \S{1,200} line \d{1,7}\.?"
    r"|terminate called\b.{0,200}|\+ +where .{1,600}|fix (?:any|all) of the following:"
    r"|async .{0,80}\(index \d{1,4}\)",
    re.IGNORECASE,
)
# What runners call a failure of any kind, before the real one.
_GENERIC_TYPE = re.compile(
    r"^(?:(?:uncaught|unhandled) )?(?:error|exception|assertionerror|failure): (?=\S)", re.IGNORECASE
)
_NOT_OK = re.compile(
    r"^(?:not ok \d{1,6}(?: -)?|what\(\):) +(?=\S)"
)  # Source: TAP 14, test points; C++ says the other
_FAILED_COMMAND = re.compile(r"`.{1,600}' failed(?: with status \d{1,3})?")
WRAPPERS = re.compile(
    r"(?:testCodeFailure|TestFailed|subtestsFailed|hookFailed|failure|failed|error|(?:\w*\.)*(?:AssertionError|AssertionFailedError|"
    r"ExpectationFailedException|AssertionFailedException|JestAssertionError|AssertionFailure))?"
)
_TELLING = (
    re.compile(r"^E[ \t]+(?P<line>\S[^\n]{0,600})", re.MULTILINE),
    re.compile(r"^(?P<line>fixture [^\n]{1,80} not found)", re.MULTILINE),
    re.compile(r"^>[ \t]+(?P<line>\S[^\n]{2,300})", re.MULTILINE),
    re.compile(
        r"^(?P<line>(?:Caused by: )?[\w.$]{1,120}(?:Error|Exception|Failure|Failed|Interrupt|Exit)\b"
        r"(?:: ?[^\n]{1,600}))$",
        re.MULTILINE,
    ),
    re.compile(
        r"^[ \t]*(?P<line>(?:[\w ]{0,40}\b)?(?:got|actual|received|was|found|have)\b[ \t]*[:=][^\n]{1,300})",
        re.MULTILINE | re.IGNORECASE,
    ),
    re.compile(
        r"(?P<line>[^\n]{0,80}\b(?:SIG[A-Z]{3,5}|signal \d{1,2}|segmentation fault|timed? ?out"
        r"|exit(?:ed)?(?: with)? (?:code|status):? -?\d{1,4})\b[^\n]{0,120})",
        re.IGNORECASE,
    ),
)
# An error that an assertion shows instead of raising it.
_SHOWN_ERROR = re.compile(
    r"""\bassert\b.{0,40}?\b(?P<type>[A-Z]\w{0,80}(?:Error|Exception))\((?P<quote>["'])(?P<message>.{3,400})(?P=quote)[,)]"""
)
_SHORT_VALUES = re.compile(r"[\w\s.=!<>-]{0,30}")
_SEARCHED_LINES = 60  # of a detail: what tells comes first or last
_FEW_NAMES = 3
_PLACED, _NEARLY = 3, 0.5  # parts of a pattern with a place; the share of words that two have in common
_QUESTIONS = 300  # failures of a template that are looked at: all with all would be quadratic
_MANY_SHARE = 0.3  # of unlike failures, that have a frame innermost


class Similarity:
    """What the failures of a run have in common, each as (check's name, problem)."""

    def __init__(self, failures: Sequence[tuple[str, Problem]]) -> None:
        self._lines: dict[tuple[str, Problem], tuple[str, str]] = {}
        self._differences: dict[tuple[str, Problem], Difference] = {}
        self._pieces: dict[str, tuple[tuple[str, bool], ...]] = {}
        self._templates: dict[str, str] = {}
        self._telling: dict[str, bool] = {}
        self._locations: dict[str, str] = {}
        self._nothing = self._common_to_unlike(failures)
        self._helpers: frozenset[str] = frozenset()
        self._helpers = self._locations_of_unlike(failures)

    def template(self, line: str) -> str:
        """Return a line with holes for what varies; each is made once, as it is asked for again and again."""
        found = self._templates.get(line)
        if found is None:
            found = self._templates[line] = _with_holes(self.pieces(line))
        return found

    def pieces(self, line: str) -> tuple[tuple[str, bool], ...]:
        """Return a line in pieces, each with whether it varies; made once as well."""
        found = self._pieces.get(line)
        if found is None:
            found = self._pieces[line] = split_variable_parts(line)
        return found

    def _tells_by_itself(self, template: str) -> bool:
        found = self._telling.get(template)
        if found is None:
            found = self._telling[template] = has_telling_words(template)
        return found

    def line(self, name: str, problem: Problem) -> str:
        """Return the line of a problem that tells most: of its message, or else of its detail."""
        return self._typed_line(name, problem)[1]

    def _typed_line(self, name: str, problem: Problem) -> tuple[str, str]:
        """Return (type, line); those of an error that an assertion only shows are the error's own."""
        found = self._lines.get((name, problem))
        if found is None:
            found = self._lines[name, problem] = self._find_line(name, problem)
        return found

    def _find_line(self, name: str, problem: Problem) -> tuple[str, str]:
        head = headline(problem.message or problem.detail)[:_COMPARED_CHARS]
        line = head if self._tells(name, head) else _line_of(name, problem.detail, head) or head
        shown = _SHOWN_ERROR.search(line)
        if shown:
            return (shown["type"], shown["message"])
        kind = problem.type.replace("\\", ".").rpartition(".")[2]
        if MATCHER.fullmatch(line) and WRAPPERS.fullmatch(kind):
            words = words_after_values(line)
            if words:
                return (kind, words)
            difference = difference_of(problem)
            if difference:
                self._differences[name, problem] = difference
                return ("", difference.line)
        return (kind, _NOT_OK.sub("", _without_type(line, kind)))

    def difference(self, name: str, problem: Problem) -> Difference | None:
        """Return what differed, where a problem only says how values were compared."""
        self._typed_line(name, problem)
        return self._differences.get((name, problem))

    def pattern(self, name: str, problem: Problem) -> tuple[str, ...]:
        """Return what is alike in all failures of a group: type, line with holes, a place where it needs one."""
        kind, line = self._typed_line(name, problem)
        difference = self.difference(name, problem)
        if difference:
            where = self.location_of(problem)
            # Other values at one place are one cause; without a place, values keep failures apart.
            return ("differs", *(difference.joins or ((where,) if where else (line, name))))
        template = self.template(line)
        parts = (kind, template)
        if self._tells_by_itself(template):
            return parts
        where = self.location_of(problem)
        if " " in where and kind and not WRAPPERS.fullmatch(kind) and not _words_of(template):
            return (kind, HOLE, where)  # an exception of one type at one place
        if " " in where or _words_of(template):
            return (*parts, where)
        # Where nothing but an assertion's own words is left, the same file is not enough: the values are alike too
        # where they are short, or else it is the same function with other parameters.
        return (*parts, where, line if _SHORT_VALUES.fullmatch(line) else name)

    def location_of(self, problem: Problem) -> str:
        """Return the innermost stack line of the team's own code that is no helper's; "" if there is none."""
        innermost = self._innermost(problem.detail)
        if innermost not in self._helpers:
            return innermost
        return next(
            (
                code_location
                for code_location in code_locations(problem.detail)
                if code_location not in self._helpers
            ),
            innermost,
        )

    def _innermost(self, detail: str) -> str:
        found = self._locations.get(detail)
        if found is None:
            found = self._locations[detail] = next(code_locations(detail), "")
        return found

    def _tells(self, name: str, head: str) -> bool:
        if _MEANS_NOTHING.fullmatch(head) or _is_name(head, name):
            return False
        template = self.template(head)
        return self._tells_by_itself(template) or template not in self._nothing

    def _common_to_unlike(self, failures: Sequence[tuple[str, Problem]]) -> frozenset[str]:
        """Return those lines, with holes, that failures have whose details tell different things."""
        beyond: dict[str, set[str]] = defaultdict(set)
        counts: Counter[str] = Counter()
        for name, problem in failures:
            head = headline(problem.message or problem.detail)[:_COMPARED_CHARS]
            template = self.template(head)
            # A few hundred failures tell whether they are unlike; nobody needs to look at all of thousands.
            if (
                not self._tells_by_itself(template)
                and len(beyond[template]) < _FEW_NAMES
                and counts[template] < _QUESTIONS
            ):
                counts[template] += 1
                beyond[template].add(self.template(_line_of(name, problem.detail, head)))
        return frozenset(
            template for template, names in beyond.items() if len(names - {"", template}) >= _FEW_NAMES
        )

    def _locations_of_unlike(self, failures: Sequence[tuple[str, Problem]]) -> frozenset[str]:
        """Return the places that are innermost in many failures that are not alike: of helpers they share."""
        lines: dict[str, set[str]] = defaultdict(set)
        for name, problem in failures:
            template = self.template(self.line(name, problem))
            if not self._tells_by_itself(template):
                where = self._innermost(problem.detail)
                if where:
                    lines[where].add(template)
        unlike = len(set().union(*lines.values())) if lines else 0
        return frozenset(
            code_location
            for code_location, names in lines.items()
            if len(names) >= _FEW_NAMES and len(names) > _MANY_SHARE * unlike
        )


def _without_type(line: str, kind: str) -> str:
    """Return a line without the type before it, where that is known already, or says nothing."""
    bare = _GENERIC_TYPE.sub("", line)
    return bare.removeprefix(f"{kind}: ") if kind else bare


def is_placed(pattern: tuple[str, ...]) -> bool:
    """Return whether a pattern is of an exception at a place of the team's own code."""
    return len(pattern) == _PLACED and bool(pattern[0]) and " " in pattern[-1]


def are_near(pattern: tuple[str, ...], other: tuple[str, ...]) -> bool:
    """Return whether two patterns of one exception at one place say nearly the same."""
    words, others = _words_of(pattern[1]), _words_of(other[1])
    return len(words & others) >= _NEARLY * len(words | others)


def _is_name(line: str, name: str) -> bool:
    """Return whether a line is only the check's own name, or a part of it, or it with its class."""
    bare, bare_name = _bare(line), _bare(name)
    return bare in bare_name or (bool(bare_name) and " " not in line and bare.endswith(bare_name))


def _bare(text: str) -> str:
    return _NO_LETTERS.sub("", text).casefold()


def _line_of(name: str, detail: str, head: str) -> str:
    """Return the first line of a detail that tells something, other than ``head``; "" if there is none."""
    text = detail[-DETAIL_CHARS:]
    found = next(filter(None, (_first_of_form(form, text, name, head) for form in _TELLING)), "")
    return (found or _first_telling(text, name, head))[:_COMPARED_CHARS]


def _first_of_form(form: re.Pattern[str], text: str, name: str, head: str) -> str:
    lines = (match["line"].strip() for match in islice(form.finditer(text), _SEARCHED_LINES))
    return next((line for line in lines if line != head and not _says_nothing(line, name)), "")


def _says_nothing(line: str, name: str) -> bool:
    return bool(_MEANS_NOTHING.fullmatch(line)) or _is_name(line, name)


def _first_telling(text: str, name: str, head: str) -> str:
    """Return the first line of any form; what a shell's command says tells more than the command that failed."""
    lines = (line.strip() for line in text.split("\n", _SEARCHED_LINES)[:_SEARCHED_LINES])
    telling = [line for line in lines if len(line) > _FEW_NAMES and line != head and _is_telling(line, name)]
    answers = (line for line in telling if not _FAILED_COMMAND.fullmatch(line))
    return next(answers, telling[0] if telling else "")


def has_telling_words(template: str) -> bool:
    """Return whether a line has enough words to tell its cause by itself."""
    return len(_words_of(template)) >= _TELLING_WORDS


def _is_telling(line: str, name: str) -> bool:
    means_little = MEANS_LITTLE.fullmatch(line) or _MEANS_NOTHING.fullmatch(line) or _is_name(line, name)
    return not means_little and not any(form.match(line) for form in FRAMES)


def _words_of(template: str) -> set[str]:
    """Return the words of a line that are not those of assertion libraries."""
    return {word.casefold() for word in _LETTERS_WORD.findall(template)} - _COMMON_TO_ALL


def template_of(line: str) -> str:
    """Return a line with holes for what varies; the name of what a program misses stays: it matters most."""
    return _with_holes(split_variable_parts(line))


def _with_holes(pieces: Sequence[tuple[str, bool]]) -> str:
    holed = "".join([HOLE if varies else text for text, varies in pieces])
    return _HOLES.sub(HOLE, holed).strip()


def split_variable_parts(line: str) -> tuple[tuple[str, bool], ...]:
    """Return a line in pieces, each with whether it is a variable part."""
    kept = [match.span("name") for match in _IDENTIFIERS.finditer(line)]
    pieces: list[tuple[str, bool]] = []
    at = 0
    for found in _variable(_LINE_SIGNS.intersection(line)).finditer(line):
        if any(start < found.end() and found.start() < end for start, end in kept):
            continue
        pieces += [(line[at : found.start()], False), (found[0], True)]
        at = found.end()
    return tuple(piece for piece in (*pieces, (line[at:], False)) if piece[0])


@lru_cache(512)
def _variable(there: frozenset[str]) -> re.Pattern[str]:
    """Return a pattern of the forms that a line with these signs may hold: the fewer, the faster it is found."""
    return re.compile("|".join([form for form, signs in _VARIABLE if not signs or there.intersection(signs)]))


# What a program says that it misses: the name is the cause. Of several languages.
_IDENTIFIERS = re.compile(
    r"(?:has no attribute|no member named|object has no|name|cannot import name|[Nn]o module named|fixture"
    r"|argument:?|reading|property|undefined (?:method|variable|name|local variable or method)"
    r"|no such (?:table|column|method|function)(?: named)?:?|[Cc]an(?:no|')t find (?:module|variable:?|symbol)"
    r"|missing \d+ required [a-z -]{1,40}arguments?:|unresolved (?:import|name)"
    r"|unknown (?:field|column|option|command|key|function):?) [\"'`‘“]?(?P<name>[A-Za-z_$][\w.$:-]{0,80})[\"'`’”]?"
)
