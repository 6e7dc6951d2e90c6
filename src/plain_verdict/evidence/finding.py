"""Finds out which check a file belongs to, by the names of the file and of the folders it stands in."""

import glob
import re
import unicodedata
from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from itertools import islice
from pathlib import Path, PurePath

import msgspec

from plain_verdict.model import Check, Evidence, Fact
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import plural
from plain_verdict.text.patterns import pattern

_WORD_PATTERN = pattern(r"[^\W\d_]+|\d+")
_CAMEL_BORDER = pattern(r"(?<=[a-z])(?=[A-Z])")
# Some runners write letters past ASCII as escapes; file names have them, or the plain letters.
_ESCAPED_CHAR = pattern(r"\\x([0-9a-fA-F]{2})|\\u([0-9a-fA-F]{4})")
_PLAIN_LETTERS = str.maketrans({"ø": "o", "æ": "ae", "œ": "oe", "đ": "d", "ł": "l", "ð": "d", "þ": "th", "ı": "i"})
_SHORTEST = 4  # letters; a check called "a" would claim everything
_MOST_WORDS = 40  # of a name that are compared: enough to tell files apart
_MENTIONED = pattern(
    r"[^\s\"'<>|*?:;,()\[\]]{1,300}\.(?:png|jpe?g|gif|webp|bmp|svg|avif|mp4|webm|log|txt|json|har|html?"
    r"|xml|mov|pdf|zip|tar|tgz|gz|7z|pcap|dmp|trace)\b",
    re.IGNORECASE,
)
# Lines by which test code names a file to CI servers, as several of them read: [[ATTACHMENT|path]].
_ATTACHED = (
    pattern(r"\[\[ATTACHMENT\|([^\]\n]{1,1000})\]\]", re.IGNORECASE),
    pattern(r"\[\[PROPERTY\|attachment\d*=([^\]\n]{1,1000})\]\]", re.IGNORECASE),
)
_ATTACHMENT_KEY = pattern(r"attachments?\d*$", re.IGNORECASE)
_ATTACHED_CHARS, _ATTACHED_NAME_CHARS = 1000, 160  # of a path; of the name by which it is shown
_MOST_ATTACHED = 500
"""Of one check: more come from a program that writes without end."""


class Claims(msgspec.Struct, frozen=True):
    """Which files belong to which check (by its id), which to none, and which could belong to several."""

    owned: dict[str, list[str]]
    unclaimed: list[str]
    ambiguous: list[str]


def name_tokens(name: str) -> list[str]:
    """Return the words of a name in any spelling: ``PayByCard``, ``pay_by_card`` and ``Pay by card`` are alike."""
    if "\\" in name:
        name = _ESCAPED_CHAR.sub(lambda found: chr(int(found[1] or found[2], 16)), name)
    spelled = unicodedata.normalize("NFKD", _CAMEL_BORDER.sub(" ", name))
    bare = "".join(char for char in spelled if not unicodedata.combining(char))
    return _WORD_PATTERN.findall(bare.casefold().translate(_PLAIN_LETTERS))


def claim(files: Sequence[str], root: str, checks: Iterable[Check]) -> Claims:
    """Give each file to the check whose name is the longest in its path, where that is one check only."""
    names: dict[str, list[Check]] = defaultdict(list)
    for check in checks:
        for joined in _spellings(check):
            names[joined].append(check)
    claims = Claims(defaultdict(list), [], [])
    for file in files:
        path = PurePath(file).relative_to(root)
        owners = _owners(path, names)
        if len(owners) == 1:
            claims.owned[owners[0].id].append(file)
        else:
            (claims.ambiguous if owners else claims.unclaimed).append(file)
    return claims


def _spellings(check: Check) -> set[str]:
    """Return what a file's name may call the check: with or without parameters, and “test” in front."""
    found = set()
    for name in (check.name, check.title):
        words = name_tokens(name)
        found |= {"".join(words), "".join(words[1:] if words[:1] == ["test"] else words)}
    return {joined for joined in found if len(joined) >= _SHORTEST}


def _owners(path: PurePath, names: dict[str, list[Check]]) -> list[Check]:
    """Return the checks with the longest name in the file's name, or else in its folders', the nearest first."""
    for part in (path.stem, *reversed(path.parent.parts)):
        words = name_tokens(part)[:_MOST_WORDS]
        spans = {
            "".join(words[start:end]) for start in range(len(words)) for end in range(start + 1, len(words) + 1)
        }
        found = sorted((span for span in spans if span in names), key=len, reverse=True)
        if found:
            return _nearest(names[found[0]], path)
    return []


def _nearest(checks: list[Check], path: PurePath) -> list[Check]:
    """Of several checks with one name, return those whose suite's words stand in the path most often."""
    if len(checks) < 2:
        return checks
    there = set(name_tokens(str(path)))
    fit = [sum(word in there for part in check.suite for word in set(name_tokens(part))) for check in checks]
    return [check for check, number in zip(checks, fit, strict=True) if number == max(fit)]


def mentioned(check: Check) -> list[tuple[Evidence, bool]]:
    """Return the files that a check's captured output and facts name; whether they exist is not looked at.

    The flag says whether a file is named as an attachment, rather than by a path that stands in a text.
    """
    texts = [output.text for attempt in check.attempts for output in attempt.outputs]
    attached = dict.fromkeys(path for path in _attached(check, texts) if 0 < len(path) <= _ATTACHED_CHARS)
    paths = dict.fromkeys(map(_without_scheme, islice(attached, _MOST_ATTACHED)), True)
    for text in (*texts, *(fact.value for fact in check.facts)):
        if "." in text:
            for path in _MENTIONED.findall(text):
                paths.setdefault(_without_scheme(path), False)
    found = [(Evidence(_name_of(path), path), is_explicit) for path, is_explicit in paths.items()]
    more = len(attached) - _MOST_ATTACHED
    if more > 0:
        too_many = Evidence(plural(more, "more attachment"), unavailable=f"is over the limit of {_MOST_ATTACHED}")
        found.append((too_many, True))
    return found


def _name_of(path: str) -> str:
    return single_line(Path(path).name or path, _ATTACHED_NAME_CHARS)


def _attached(check: Check, texts: Sequence[str]) -> Iterator[str]:
    """Yield the paths that output and properties name as attachments."""
    for text in texts:
        if "[[" in text:
            yield from (path.strip() for pattern in _ATTACHED for path in pattern.findall(text))
    yield from (fact.value.strip() for fact in check.facts if _ATTACHMENT_KEY.match(fact.key))


def may_have(check: Check) -> bool:
    """Return whether a check can have its own evidence, or text that mentions some."""
    last = check.attempts[-1]
    return bool(last.outputs or last.evidence or last.exchanges or last.steps or len(check.attempts) > 1) or any(
        map(_may_name_file, check.facts)
    )


def _may_name_file(fact: Fact) -> bool:
    """Return whether a fact can name a file: as an attachment, or by a name with its ending."""
    return "." in fact.value or _ATTACHMENT_KEY.match(fact.key) is not None


def _without_scheme(path: str) -> str:
    return path.removeprefix("file://")


def templated(template: str, checks: Iterable[Check]) -> dict[str, list[str]]:
    """Return, for each check's id, the files that a template like ``shots/{suite}/{check}*.png`` means for it."""
    found = {}
    for check in checks:
        suite = "/".join(glob.escape(part) for part in check.suite)
        pattern = template.replace("{check}", glob.escape(check.name)).replace("{suite}", suite)
        if "\0" in pattern:
            continue
        found[check.id] = sorted(glob.glob(pattern, recursive=True))
    return found
