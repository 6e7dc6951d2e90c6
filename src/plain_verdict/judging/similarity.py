"""Groups failures by similarity: what varies in a message is ignored, what stays names the group.

Merging two causes is worse than splitting one, so a message with few words only joins others that were
raised at the same place of the team's own code. What unlike failures of a run all say, a heading of the runner or a
helper's place in the stack, tells nothing and is passed over. Linear time: each problem is looked at twice.
"""

from collections import Counter, defaultdict
from collections.abc import Sequence

from plain_verdict.judging.differences import (
    MATCHER,
    VALUES_BELOW,
    Difference,
    difference_of,
    without_marks,
    words_after_values,
)
from plain_verdict.judging.problem_lines import (
    COMPARED_CHARS,
    WRAPPERS,
    bare_line,
    codes_with_titles,
    is_empty,
    is_exit,
    lacks_exception,
    line_of,
)
from plain_verdict.judging.stack import code_locations
from plain_verdict.judging.templates import (
    HOLE,
    WORD,
    has_telling_words,
    missed_names,
    split_variable_parts,
    with_holes,
    words_of,
)
from plain_verdict.model import Problem
from plain_verdict.text.cleaning import headline
from plain_verdict.text.patterns import pattern

# An error that an assertion shows instead of raising it.
_SHOWN_ERROR = pattern(
    r"""\bassert\b.{0,40}?\b(?P<type>[A-Z]\w{0,80}(?:Error|Exception))\((?P<quote>["'])(?P<message>.{3,400})(?P=quote)[,)]"""
)
_SHORT_VALUES = pattern(r"[\w\s.=!<>-]{0,30}")
_RARE_TEXT = pattern(r"'[^'$]{4,200}'")  # in a shell's command
# Of a check's name, what changes with its data: the number of a test point, arguments, numbers, quoted values.
_NAME_DATA = pattern(r"^\d{1,6} - |[(\[{][^()\[\]{}]{0,200}[)\]}]|\d+|\"[^\"]{0,200}\"|'[^']{0,200}'|`[^`]{0,200}`")
_FEW_NAMES = 3
_NEARLY = 0.5  # the share of words that two have in common
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
            found = self._templates[line] = with_holes(self.pieces(line))
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
        head = headline(problem.message or problem.detail)[:COMPARED_CHARS]
        kind = problem.type.replace("\\", ".").rpartition(".")[2]
        # Values that the rest of the problem shows tell more than any other line of it.
        compared = self._compared(name, kind, head, problem) if VALUES_BELOW.fullmatch(head) else None
        if compared:
            return compared
        line = codes_with_titles(head, problem) or (
            head if self._tells(name, head) else _beyond(name, problem, head)
        )
        shown = _SHOWN_ERROR.search(line)
        if shown:
            return (shown["type"], shown["message"])
        return self._compared(name, kind, line, problem) or (kind, bare_line(line, kind))

    def _compared(self, name: str, kind: str, line: str, problem: Problem) -> tuple[str, str] | None:
        """Return (type, line) of a line that only says how values were compared; None for others."""
        if not (MATCHER.fullmatch(line) and WRAPPERS.fullmatch(kind)):
            return None
        words = words_after_values(line)
        if words:
            return (kind, words)
        difference = difference_of(problem)
        if difference is None:
            return None
        self._differences[name, problem] = difference
        return ("", difference.line)

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
            by_values = difference.pair or (_family_of(name),)
            return ("differs", *(difference.joins or ((where,) if where else by_values)))
        template = self.template(line)
        if is_exit(template):
            return (kind, template)
        if not lacks_exception(template) and self._tells_by_itself(template):
            return (kind, template)
        where = self.location_of(problem)
        if lacks_exception(template):
            return (kind, template, where if " " in where else name)
        return self._located(kind, line, name, where)

    def _located(self, kind: str, line: str, name: str, where: str) -> tuple[str, ...]:
        """Return the pattern of a line that tells little by itself: with its location."""
        template = self.template(line)
        has_words = bool(words_of(template))
        if " " in where and not has_words and kind and not WRAPPERS.fullmatch(kind):
            return (kind, HOLE, where)  # an exception of one type at one place
        if " " in where or has_words:
            return (kind, template, where)
        # Where nothing but an assertion's own words is left, the same file is not enough: the values are alike too
        # where they are short, or else it is the same function with other parameters.
        if _SHORT_VALUES.fullmatch(line) or _RARE_TEXT.search(line):
            return (kind, template, where, line)
        subject, colon, _ = name.partition(": ")
        return (kind, template, where, f"{subject}: {line}" if colon else name)

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

    def exception_location(self, pattern: tuple[str, ...], problem: Problem) -> str:
        """Return where in the team's own code the exception of a group was raised; "" where that is not known."""
        kind = pattern[0]
        if not kind or kind == "differs" or WRAPPERS.fullmatch(kind):
            return ""
        where = self.location_of(problem)
        return where if " " in where else ""

    def _innermost(self, detail: str) -> str:
        found = self._locations.get(detail)
        if found is None:
            found = self._locations[detail] = next(code_locations(detail), "")
        return found

    def _tells(self, name: str, head: str) -> bool:
        if is_empty(head, name):
            return False
        template = self.template(head)
        return self._tells_by_itself(template) or template not in self._nothing

    def _common_to_unlike(self, failures: Sequence[tuple[str, Problem]]) -> frozenset[str]:
        """Return those lines, with holes, that failures have whose details tell different things."""
        beyond: dict[str, set[str]] = defaultdict(set)
        counts: Counter[str] = Counter()
        for name, problem in failures:
            head = headline(problem.message or problem.detail)[:COMPARED_CHARS]
            template = self.template(head)
            # A few hundred failures tell whether they are unlike; nobody needs to look at all of thousands.
            if (
                not self._tells_by_itself(template)
                and len(beyond[template]) < _FEW_NAMES
                and counts[template] < _QUESTIONS
            ):
                counts[template] += 1
                beyond[template].add(self.template(line_of(name, problem.detail, head)))
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


def _beyond(name: str, problem: Problem, head: str) -> str:
    """Return the line that tells most where the first one tells nothing; that one if there is no other."""
    message = "" if problem.message.strip() in problem.detail else problem.message
    return line_of(name, without_marks(f"{message}\n{problem.detail}"), head) or head


def are_near(pattern: tuple[str, ...], other: tuple[str, ...]) -> bool:
    """Return whether two patterns of one exception at one place say nearly the same."""
    words, others = words_of(pattern[1]), words_of(other[1])
    if missed_names(pattern[1]) != missed_names(other[1]):
        return False
    return len(words & others) >= _NEARLY * len(words | others)


def _family_of(name: str) -> str:
    """Return what checks share that are one with other data; a name that is only data is its own."""
    family = _NAME_DATA.sub("", name).strip()
    return family if WORD.search(family) else name
