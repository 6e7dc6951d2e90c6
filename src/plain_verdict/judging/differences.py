"""What was expected and what came, in the usual shapes of assertion libraries: a diff, two lines, a comparison."""

import re
from collections.abc import Sequence

from plain_verdict.model import Problem, Value
from plain_verdict.readers.expectations import find_expectation

_VALUE_SHOWN_CHARS = 120  # of a value in the line that tells a difference
_DIFF_CHARS = 6_000
_RARE_CHARS = 2
_FEWEST_LETTERS = 3  # of a value that can join failures
# A line that names how values are compared, and neither of them nor what they are.
MATCHER = re.compile(
    r"(?:\w{0,40}(?:Error|Exception): ?)?(?:"
    r"expect\(.{0,80}\)\.[\w.]{2,60}.{0,80}"
    r"|Failed asserting that .{0,300}|Expected (?:values?|inputs?|\"actual\").{0,600}"
    r"|assert .{1,300} (?:==|is|in) .{1,300}|(?:[\[{('\"<\d-]|None|True|False|null|undefined).{0,300} !==? .{1,300}"
    r"|expected (?:[\[{('\"\d-]|true|false|null|undefined).{0,200} to \w.{0,200}"
    r"|Failed test\b.{0,200}|got:? .{0,200}"
    r")",
    re.DOTALL,
)
BARE_MATCHER = re.compile(
    r"expect\(.{0,80}\)\.[\w.]{2,60}.{0,80}|Expected (?:values?|inputs?) to .{0,600}", re.DOTALL
)
# What the author of a check says after the values. Source: Python, unittest, the argument msg
_AUTHORS_WORDS = re.compile(r" : (?P<words>[^\n]*[^\W\d_]{3}[^\n]*)\Z")
_MARGIN = r"^(?:E {1,8}|#[ \t]{0,8}|[ \t]{0,12})"
_MORE_FORMS = (
    re.compile(rf"{_MARGIN}(?P<actual>\{{[^\n]{{1,400}}\}}) != (?P<expected>\{{[^\n]{{1,400}}\}})$", re.M),
    re.compile(r"asserting that (?P<actual>.{1,300}?) matches expected (?P<expected>.{1,300}?)\.$", re.M),
    re.compile(r"^(?:AssertionError: )?assert (?P<actual>.{1,300}?) == (?P<expected>.{1,300})$", re.M),
    re.compile(r"^(?:AssertionError: )?(?P<actual>.{1,300}?) !==? (?P<expected>.{1,300})$", re.M),
    re.compile(r"\bgot:? (?P<actual>[^,\n]{1,200}),? (?:want|expected):? (?P<expected>[^\n]{1,200})", re.I),
)
"""Beyond those by which readers tell the two apart."""
_REMOVED = re.compile(rf"{_MARGIN}-(?!-)[ \t]{{0,12}}(?P<value>[^\s-][^\n]{{0,400}})$", re.M)
_ADDED = re.compile(rf"{_MARGIN}\+(?!\+)[ \t]{{0,12}}(?P<value>[^\s+][^\n]{{0,400}})$", re.M)
_LONG_CHARS = 40
_SEPARATOR = re.compile(r"[,})\]]")
_KEYED = re.compile(r"[\"'`]?[\w.-]{1,60}[\"'`]? ?(?:=>|[:=]) ?\S")
_LEGEND_LINE = re.compile(
    rf"{_MARGIN}(?:(?P<plus_expected>\+ expected - actual)|\+ actual - expected"
    rf"|-{{1,3}} ?expected\b[^\n]*\n{_MARGIN}\+)[^\n]*$",
    re.M | re.I,
)
_COMPARISON = re.compile(r"^(?:\w{1,40}Error: )?[^\n]{1,400} !=[^\n]{1,400}$", re.M)
_LEGEND = re.compile(r"(?:expected|received|actual)\b.{0,30}|where .{1,300}|failed to generate .{1,60}|\W*", re.I)
_COMMON_VALUES = {"true", "false", "null", "none", "nil", "undefined", "nan", "error", "object", "array", "string"}
_LETTERS = re.compile(r"[^\W\d_]+")


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
        expected, actual = self._core
        return _shown(expected), _shown(actual)

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
    def joins(self) -> tuple[str, ...]:
        """Return what failures of one cause share: signs that differ, a key with its values, or a value that came.

        The same two values join as well, unless any program has them: 0 and 1, true and false. () for none.
        """
        start, end = self._ends()
        signs = (self.expected[start : len(self.expected) - end], self.actual[start : len(self.actual) - end])
        if start and any(signs) and not any(map(str.isalnum, "".join(signs))):
            return signs
        if all(map(_KEYED.match, self._core)):
            return self._core
        words = {word.casefold() for word in _LETTERS.findall(self.actual)}
        if any(len(word) >= _FEWEST_LETTERS for word in words - _COMMON_VALUES):
            return (self.actual.strip(" ,;"),)
        return (self.expected, self.actual) if _is_rare(self.expected) and _is_rare(self.actual) else ()


def _is_rare(value: str) -> bool:
    """Return whether a value is none of those that unrelated checks compare."""
    bare = value.strip(" \"'`,;")
    return len(bare) >= _RARE_CHARS and bare.casefold() not in _COMMON_VALUES


def words_after_values(line: str) -> str:
    """Return what the author of a check says after the values that were compared; "" for nothing."""
    found = _AUTHORS_WORDS.search(line)
    return found["words"].strip() if found else ""


def difference_of(problem: Problem) -> Difference | None:
    """Return the values of a problem that only says how they were compared; None where it shows none."""
    # The detail has its lines; a message may have lost them on its way through an attribute.
    text = f"{problem.detail}\n{problem.message}"[:_DIFF_CHARS]
    return _of_diff(text) or _given(problem) or _of_forms(text)


def _given(problem: Problem) -> Difference | None:
    """Return the values as the source gives them, or as readers find them in texts."""
    if problem.expected is not None and problem.actual is not None:
        return Difference(_flat(problem.expected), _flat(problem.actual))
    found = find_expectation(problem.message[:_DIFF_CHARS], problem.detail[:_DIFF_CHARS])
    return Difference(*map(_flat, found)) if found else None


def _of_diff(text: str) -> Difference | None:
    """Return the first line of a diff that changed; its legend says which side came."""
    legend = _LEGEND_LINE.search(text)
    if legend:
        text = text[legend.end() :]
        plus_is_actual = not legend["plus_expected"]
    else:
        plus_is_actual = not _COMPARISON.search(text)
    removed, added = (_first(form, text) for form in (_REMOVED, _ADDED))
    if not (removed and added):
        return None
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


def _shown(text: str) -> str:
    return text if len(text) <= _VALUE_SHOWN_CHARS else f"{text[: _VALUE_SHOWN_CHARS - 1]}…"


def _common_start(left_text: str, right_text: str) -> int:
    """Return how many characters two texts begin with alike."""
    pairs = zip(left_text, right_text, strict=False)
    shorter = min(len(left_text), len(right_text))
    return next((number for number, (left, right) in enumerate(pairs) if left != right), shorter)
