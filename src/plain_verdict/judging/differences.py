"""What was expected and what came, in the usual shapes of assertion libraries: a diff, two lines, a comparison."""

import re
from collections.abc import Sequence

from plain_verdict.model import Problem, Value
from plain_verdict.readers.expectations import find_expectation
from plain_verdict.text.patterns import pattern

_VALUE_SHOWN_CHARS = 120  # of a value in the line that tells a difference
_DIFF_CHARS = 6_000
_RARE_CHARS = 2
_FEWEST_LETTERS = 3  # of a value that can join failures
_TYPE = r"(?:\w{0,40}(?:Error|Exception): ?)?"
_EXPECT = r"expect\(.{0,80}\)\.[\w.]{2,60}.{0,80}"
_ASSERT = r"[\w.]{2,40}\((?:received|actual)\w{0,10}, ?expected\w{0,10}\)"
_SHOWN_VALUE = r"(?:[\[{('\"<\d-]|None|True|False|true|false|null|undefined)"
# A line that names how values are compared, and neither of them nor what they are.
MATCHER = pattern(
    rf"{_TYPE}(?:{_EXPECT}|{_ASSERT}"
    r"|Failed asserting that .{0,300}"
    r"|Expected (?:values?|inputs?|\"actual\").{0,600}"
    r"|assert .{1,300} (?:==|is|in) .{1,300}|assert ['\"\[{(].{1,600}"
    rf"|{_SHOWN_VALUE}.{{0,300}} [!=]==? .{{1,300}}"
    r"|expected (?:[\[{('\"\d-]|true|false|null|undefined).{0,200} to \w.{0,200}"
    r"|[A-Z]\w{2,20} differ: .{1,600}"
    r"|Failed test\b.{0,200}|got:? .{0,200}"
    r")",
    re.DOTALL,
)
VALUES_BELOW = pattern(f"{_TYPE}{_EXPECT}", re.DOTALL)
"""A matcher whose values stand in the lines below it."""
BARE_MATCHER = pattern(
    rf"{_TYPE}{_EXPECT}|{_ASSERT}"
    r"|Expected (?:values?|inputs?) to .{0,600}"
    r"|Failed asserting that (?:false|true|null) is (?:false|true|null|not null)\.?",
    re.DOTALL,
)
# What the author of a check says after the values. Source: Python, unittest, the argument msg
_AUTHORS_WORDS = pattern(r" : (?P<words>[^\n]*[^\W\d_]{3}[^\n]*)\Z")
_COMMENT_MARK = pattern(r"^[ \t]{0,8}#(?: {1,12}|$)", re.MULTILINE)
_MARGIN = r"^(?:E {1,8}|#[ \t]{0,8}|[ \t]{0,12})"
_MORE_FORMS = (
    pattern(rf"{_MARGIN}(?P<actual>\{{[^\n]{{1,400}}\}}) != (?P<expected>\{{[^\n]{{1,400}}\}})$", re.M),
    pattern(
        r"asserting that (?P<actual>.{1,300}?) (?:matches expected|is identical to) (?P<expected>.{1,300}?)\.$",
        re.M,
    ),
    pattern(r"^(?:AssertionError: )?assert (?P<actual>.{1,300}?) == (?P<expected>.{1,300})$", re.M),
    pattern(r"^(?:AssertionError: )?(?P<actual>.{1,300}?) !==? (?P<expected>.{1,300})$", re.M),
    # Code that is shown beside a failure compares names; a runner shows values.
    pattern(rf"^(?:AssertionError: )?(?P<actual>{_SHOWN_VALUE}.{{0,300}}?) ===? (?P<expected>.{{1,300}})$", re.M),
    pattern(
        r"^[ \t]{0,12}\$got\S{0,80} = (?P<actual>[^\n]{1,300})\n"
        r"[ \t]{0,12}\$expected\S{0,80} = (?P<expected>[^\n]{1,300})$",
        re.M,
    ),
    pattern(r"\bdiffer: (?P<actual>[^\n]{1,300}?) != (?P<expected>[^\n]{1,300}?)(?:$|\s{2}First diff)", re.M),
    pattern(r"\bgot:? (?P<actual>[^,\n]{1,200}),? (?:want|expected):? (?P<expected>[^\n]{1,200})", re.I),
)
"""Beyond those by which readers tell the two apart."""
_REMOVED = pattern(rf"{_MARGIN}-(?!-)[ \t]{{0,12}}(?P<value>[^\s-][^\n]{{0,400}})$", re.M)
_ADDED = pattern(rf"{_MARGIN}\+(?!\+)[ \t]{{0,12}}(?P<value>[^\s+][^\n]{{0,400}})$", re.M)
_LONG_CHARS = 40
_SEPARATOR = pattern(r"[,})\]]")
_KEYED = pattern(r"[\"'`]?[\w.-]{1,60}[\"'`]? ?(?:=>|[:=]) ?\S")
_LEGEND_LINE = pattern(
    rf"{_MARGIN}(?:(?P<plus_expected>\+ expected - actual)|\+ actual - expected"
    rf"|-{{1,3}} ?expected\b[^\n]*\n{_MARGIN}\+)[^\n]*$",
    re.M | re.I,
)
_COMPARISON = pattern(r"^(?:\w{1,40}Error: )?[^\n]{1,400} !=[^\n]{1,400}$", re.M)
_NO_LINE = "no such line"
_LEGEND = pattern(
    r"(?:expected|received|actual)\b.{0,30}|where .{1,300}|failed to generate .{1,60}|\W*"
    r"|(?:[A-Z]\w{0,30} )?[\[{(]{1,3}[\])}]{0,3},?",
    re.I,
)
_ESCAPES = pattern(r"\\[nrt]")
_MUCH_ALIKE = 12
_COMMON_VALUES = {
    "true", "false", "null", "none", "nil", "undefined", "undef", "nan", "error", "object", "array", "string",
}  # fmt: skip
_LETTERS = pattern(r"[^\W\d_]+")


class Difference(Value, frozen=True):
    """A value that was expected, and the one that came."""

    expected: str
    actual: str

    @property
    def line(self) -> str:
        """Return both in words; of long ones the part that differs."""
        return f"expected {self.shown[0]}, got {self.shown[1]}"

    @property
    def shown(self) -> tuple[str, str]:
        """Return both as a line shows them."""
        expected, actual = self._core if len(set(self._core)) > 1 else (self.expected, self.actual)
        start = _common_start(expected, actual)
        return _shown(expected, start), _shown(actual, start)

    @property
    def _core(self) -> tuple[str, str]:
        """Return both; of long ones the parts that differ, with their keys."""
        if max(len(self.expected), len(self.actual)) <= _LONG_CHARS:
            return self.expected, self.actual
        start, end = self._ends()
        start = max(self.expected.rfind(sign, 0, start) for sign in ",{([") + 1
        ends = (_SEPARATOR.search(text, len(text) - end) for text in (self.expected, self.actual))
        cuts = [found.start() if found else None for found in ends]
        return self.expected[start : cuts[0]].strip(), self.actual[start : cuts[1]].strip()

    def _ends(self) -> tuple[int, int]:
        """Return how many characters both begin and end with alike."""
        start = _common_start(self.expected, self.actual)
        return start, _common_start(self.expected[start:][::-1], self.actual[start:][::-1])

    @property
    def _parts(self) -> tuple[str, ...]:
        """Return the parts that differ, where they tell by themselves; () where only with what is around them."""
        start, end = self._ends()
        parts = (self.expected[start : len(self.expected) - end], self.actual[start : len(self.actual) - end])
        is_sign = start and any(parts) and not any(map(str.isalnum, _ESCAPES.sub(" ", "".join(parts))))
        # Put in, or left out, in the midst of much that is alike.
        is_put_in = not all(parts) and start + end >= _MUCH_ALIKE and len("".join(parts)) >= _RARE_CHARS
        return parts if is_sign or is_put_in else ()

    @property
    def joins(self) -> tuple[str, ...]:
        """Return what failures of one cause share: signs that differ, a key with its values, or a value that came.

        The same two values join as well, unless any program has them: 0 and 1, true and false. () for none.
        """
        parts = self._parts
        if parts or all(map(_KEYED.match, self._core)):
            return parts or self._core
        words = {word.casefold() for word in _LETTERS.findall(self.actual)}
        is_whole = self.actual[:1] not in "\"'`" or self.actual.endswith(self.actual[:1])
        if _NO_LINE not in (self.expected, self.actual) and is_whole and any(map(_is_long, words - _COMMON_VALUES)):
            return (self.actual.strip(" ,;"),)
        return self.pair if _is_rare(self.expected) and _is_rare(self.actual) else ()

    @property
    def pair(self) -> tuple[str, ...]:
        """Return both values, unless any program has either: they join failures of which no place is known."""
        return (self.expected, self.actual) if _is_rare(self.expected) or _is_rare(self.actual) else ()


def _is_long(word: str) -> bool:
    return len(word) >= _FEWEST_LETTERS


def _is_rare(value: str) -> bool:
    """Return whether a value is none of those that unrelated checks compare."""
    bare = value.strip(" \"'`,;")
    return len(bare) >= _RARE_CHARS and bare.casefold() not in _COMMON_VALUES


def words_after_values(line: str) -> str:
    """Return what the author of a check says after the values that were compared; "" for nothing."""
    found = _AUTHORS_WORDS.search(line)
    return found["words"].strip() if found else ""


def without_marks(text: str) -> str:
    """Return a text without the marks before its lines by which TAP sets diagnostics apart from test points."""
    return _COMMENT_MARK.sub("", text) if "#" in text else text


def difference_of(problem: Problem) -> Difference | None:
    """Return the values of a problem that only says how they were compared; None where it shows none."""
    # The detail has its lines; a message may have lost them on its way through an attribute.
    text = without_marks(f"{problem.detail}\n{problem.message}"[:_DIFF_CHARS])
    found = (form for form in (_of_diff(text), _given(problem), _of_forms(text)) if form)
    # A diff may not show what differs: blanks, a line's end.
    return next((difference for difference in found if difference.expected != difference.actual), None)


def _given(problem: Problem) -> Difference | None:
    """Return the values as the source gives them, or as readers find them in texts."""
    if problem.expected is not None and problem.actual is not None:
        return Difference(_flat(problem.expected), _flat(problem.actual))
    found = find_expectation(problem.message[:_DIFF_CHARS], without_marks(problem.detail[:_DIFF_CHARS]))
    return Difference(*map(_flat, found)) if found else None


def _of_diff(text: str) -> Difference | None:
    """Return the first line of a diff that changed; its legend says which side came."""
    legend = _LEGEND_LINE.search(text)
    plus_is_actual = not legend["plus_expected"] if legend else not _COMPARISON.search(text)
    text = text[legend.end() :] if legend else text
    removed, added = (_first(form, text) for form in (_REMOVED, _ADDED))
    if not (removed and added) and not (legend and (removed or added)):
        return None
    removed, added = removed or _NO_LINE, added or _NO_LINE
    return Difference(removed, added) if plus_is_actual else Difference(added, removed)


def _of_forms(text: str) -> Difference | None:
    found = next(filter(None, (form.search(text) for form in _MORE_FORMS)), None)
    return Difference(_flat(found["expected"]), _flat(found["actual"])) if found else None


def name_differences(differences: Sequence[Difference]) -> str:
    """Return differences of one cause in one line: the first, and whether there are others."""
    lines = list(dict.fromkeys(difference.line for difference in differences))
    first = differences[0]
    if len(lines) == 1:
        return lines[0]
    if len({difference.shown[1] for difference in differences}) == 1:
        return f"got {first.shown[1]}, expected {first.shown[0]} and others"
    return f"{lines[0]}, and alike"


def _first(form: re.Pattern[str], text: str) -> str:
    """Return the first changed line of a diff that is not its legend."""
    values = (_flat(found["value"]) for found in form.finditer(text))
    return next((value for value in values if not _LEGEND.fullmatch(value)), "")


def _flat(text: str) -> str:
    return " ".join(text.split()).rstrip(",")


def _shown(text: str, differs_at: int) -> str:
    """Return a value, of a long one the part around where it differs."""
    start = max(0, differs_at - _LONG_CHARS) if differs_at >= _VALUE_SHOWN_CHARS - _LONG_CHARS else 0
    end = start + _VALUE_SHOWN_CHARS
    return f"{'…' if start else ''}{text[start:end]}{'…' if end < len(text) else ''}"


def _common_start(left_text: str, right_text: str) -> int:
    """Return how many characters two texts begin with alike."""
    pairs = zip(left_text, right_text, strict=False)
    shorter = min(len(left_text), len(right_text))
    return next((number for number, (left, right) in enumerate(pairs) if left != right), shorter)
