"""Names of causes that were found by likeness: each must make sense without the page."""

from collections.abc import Sequence
from itertools import takewhile
from os.path import commonprefix

from plain_verdict.judging.differences import BARE_MATCHER, Difference, name_differences
from plain_verdict.judging.matching import problem_of
from plain_verdict.judging.problem_lines import WRAPPERS, is_empty, is_exit, lacks_exception, repeats_name
from plain_verdict.judging.similarity import Similarity
from plain_verdict.judging.templates import HOLE, has_telling_words, has_words
from plain_verdict.model import Check, Problem
from plain_verdict.readers.interface import SUITE_ITSELF
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.patterns import pattern

_CAUSE_CHARS, _SUBJECT_CHARS = 200, 100
_AND_OTHERS = " and others"
_AND_ALIKE = ", and alike"
_NO_REASON = "No reason given"
_NAME_WORD = pattern(r"[^\W\d_]{2,}")
_FILE_NAME = pattern(r"[/\\]|\.\w{1,4}$")
_GROUP_END = pattern(r" [>›»|-] |::")


def title_of(
    checks: Sequence[Check], lines: Sequence[str], typical: Problem, similarity: Similarity, *, all_alike: bool
) -> str:
    """Return what failed in words that make sense by themselves; ``lines`` are of those that say the usual.

    ``all_alike``: those are all.
    """
    title = _title(checks, lines, typical, similarity)
    # What the usual ones say holds nearly for those that are near to them.
    is_of_all = all_alike or _AND_ALIKE in title or title.endswith(_AND_OTHERS)
    return single_line(title if is_of_all else f"{title}{_AND_ALIKE}", _CAUSE_CHARS)


def _title(checks: Sequence[Check], lines: Sequence[str], typical: Problem, similarity: Similarity) -> str:
    differences = _differences(checks, similarity)
    if differences:
        return f"{_subject(checks)}{name_differences(differences)}"
    name = _named(lines, typical, similarity)
    if name == _NO_REASON or (len(checks) == 1 and repeats_name(name, checks[0].title)):
        return _after(_subject(checks), _NO_REASON)
    alike = _AND_ALIKE if len(set(lines)) > 1 else ""
    if _needs_subject(name):
        return _after(_subject(checks), f"{lines[0]}{alike}")
    return name


def _differences(checks: Sequence[Check], similarity: Similarity) -> list[Difference]:
    """Return what differed in each check; [] unless all of them only compare values."""
    found = []
    for check in checks:
        difference = similarity.difference(check.name, problem_of(check))
        if difference is None:
            return []
        found.append(difference)
    return found


def _needs_subject(name: str) -> bool:
    """Return whether a name needs a subject: it has only values, a matcher without them, or mostly holes."""
    is_mostly_holes = name.startswith(HOLE) or 2 * name.count(HOLE) > len(_NAME_WORD.findall(name))
    is_bare = BARE_MATCHER.fullmatch(name) or lacks_exception(name) or is_exit(name) or is_empty(name, "")
    return is_mostly_holes or bool(is_bare) or not has_words(name)


def _after(subject: str, words: str) -> str:
    """Return words behind a subject, without the capital of a sentence's beginning."""
    word = words.split(" ", 1)[0]
    is_capital = subject and word.isalpha() and word[:1].isupper() and word[1:].islower()
    return f"{subject}{words[:1].lower()}{words[1:]}" if is_capital else f"{subject}{words}"


def _subject(checks: Sequence[Check]) -> str:
    """Return what was checked, to stand before what came: the check, or the innermost suite of all; "" for none."""
    titles = {check.suite[-1] if check.name == SUITE_ITSELF and check.suite else check.title for check in checks}
    if len(titles) == 1:
        return f"{single_line(titles.pop(), _SUBJECT_CHARS)}: "
    levels = zip(*(check.suite for check in checks), strict=False)
    suites = [names[0] for names in takewhile(lambda names: len(set(names)) == 1, levels)]
    # A file is no subject; what the names begin with may be one.
    subject = suites[-1] if suites and not _FILE_NAME.search(suites[-1]) else _common_beginning(sorted(titles))
    return f"{single_line(subject, _SUBJECT_CHARS)}: " if subject else ""


def _common_beginning(titles: Sequence[str]) -> str:
    """Return the groups that all titles begin with, as runners write them into names; "" for none."""
    common = commonprefix([titles[0], titles[-1]])  # noqa: RUF071  names are no paths
    ends = list(_GROUP_END.finditer(common))
    return common[: ends[-1].start()] if ends else ""


def _named(lines: Sequence[str], typical: Problem, similarity: Similarity) -> str:
    """Return a name for failures that say these lines: what they share, and holes for what differs."""
    name = _shared(lines, similarity)
    # A key, a number: what it is stands in its type.
    short = typical.type.replace("\\", ".").rpartition(".")[2]
    short = "" if WRAPPERS.fullmatch(short) else short
    if not name.strip(f"{HOLE} .:,;\"'"):
        return _named_by_value(short, lines)
    return f"{short}: {name}" if short and not has_telling_words(name) and short not in name else name


def _named_by_value(short_type: str, lines: Sequence[str]) -> str:
    """Return a name for failures that share nothing but their type: it, with the first of their values."""
    values = list(dict.fromkeys(filter(None, lines)))
    value = f"{values[0]}{_AND_OTHERS if len(values) > 1 else ''}" if values else ""
    return ": ".join(filter(None, (short_type, value))) or _NO_REASON


def _shared(lines: Sequence[str], similarity: Similarity) -> str:
    """Return the lines as one, with a hole where they differ."""
    split = [similarity.pieces(line) for line in dict.fromkeys(lines)]
    if len({tuple(varies for _, varies in pieces) for pieces in split}) > 1:
        return similarity.template(lines[0])
    texts = ({text for text, _ in column} for column in zip(*split, strict=True))
    return "".join(next(iter(column)) if len(column) == 1 else HOLE for column in texts).strip()
