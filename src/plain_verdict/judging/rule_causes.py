"""Causes of failed rules: one for a rule, whatever tool or host reports it, named by what it asks."""

from collections.abc import Iterable, Sequence

from plain_verdict.judging.templates import WORD, template_of
from plain_verdict.model import Check
from plain_verdict.text.cleaning import headline, single_line
from plain_verdict.text.patterns import pattern

_RULE_CODE = pattern(r"(?P<code>[A-Za-z]{1,12}[-_]?\d{1,6}|(?:[\w-]{1,40}/){1,4}[\w-]{1,60})(?::\s+|$)")
_RULE_CHARS = 160
_FEWEST_WORDS = 2
_SHARED_WORDS = 0.5  # of the words of the shorter title


def join_rules(names: Iterable[str]) -> dict[str, str]:
    """Return for each rule's name the one it counts under: of one code and nearly one title, the first."""
    first_of: dict[str, list[str]] = {}
    joined = {}
    for name in sorted(names, key=lambda name: (not _words_of(name), name)):
        found = _RULE_CODE.match(name)
        known = first_of.setdefault(found["code"].casefold() if found else name.casefold(), [])
        joined[name] = next((other for other in known if _are_alike(other, name)), name)
        if joined[name] == name:
            known.append(name)
    return joined


def title_of_rule(name: str, checks: Sequence[Check]) -> str:
    """Return the name of a rule; where that is but an identifier, with what the rule asks, or what was found."""
    code = _RULE_CODE.match(name)
    bare = name.removeprefix(code[0]) if code else name
    if " " in bare:
        return name
    texts = [check.description for check in checks] + [
        template_of(headline(problem.message)) for check in checks for problem in check.last.problems[:1]
    ]
    asks = next((text for text in texts if len(WORD.findall(text)) >= _FEWEST_WORDS), "")
    return single_line(f"{code['code'] if code else name}: {asks.removesuffix('.')}" if asks else name, _RULE_CHARS)


def _are_alike(left: str, right: str) -> bool:
    """Return whether titles of one code share most words of the shorter one."""
    words, others = _words_of(left), _words_of(right)
    return len(words & others) >= _SHARED_WORDS * min(len(words), len(others))


def _words_of(name: str) -> set[str]:
    return {word.casefold() for word in WORD.findall(_RULE_CODE.sub("", name))}
