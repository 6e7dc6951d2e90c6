"""Reads the lines of the Test Anything Protocol, each by itself. Source: TAP 14 specification, "Document"."""

import re

import msgspec

from plain_verdict.text.cleaning import plain

_TAB = "    "
_VERSION = re.compile(r"TAP version (\d+)\s*\Z", re.IGNORECASE)
_PLAN = re.compile(r"(\d{1,9})\.\.(\d{1,9})\s*(?:#\s*(?P<reason>.*))?\Z")
# "ok, listening" is another program's; of what says "not ok", in whatever form, none may be lost.
_POINT = re.compile(r"(?:(?P<not>not )ok\b|ok(?=\s|\Z))(?:\s+(?P<number>\d{1,9})\b)?(?P<rest>.*)\Z", re.DOTALL)
# The second form is what a harness makes of it that runs several files and prints all that they say.
_BAIL = re.compile(
    r"(?:Bail out!|Bailout called\.(?:\s+Further testing stopped:)?)\s*(?P<reason>.*)\Z", re.IGNORECASE
)
_PRAGMA = re.compile(r"pragma\s+[+-]\w+")
_SUBTEST = re.compile(r"#\s*Subtest:?\s*(?P<name>.*)\Z", re.IGNORECASE)
# A directive begins with a hash that is not escaped, after a blank.
_DIRECTIVE = re.compile(r"(?<!\\)#\s*(?P<word>skip\w*|todo)\b:?\s*(?P<reason>.*)\Z", re.IGNORECASE)
_TOOK = re.compile(
    r"(?<!\\)#\s*(?:time|duration)(?:_ms)?\s*[=:]?\s*(?P<number>\d+(?:\.\d+)?)\s*(?P<unit>ms|s)?\s*\Z",
    re.IGNORECASE,
)
_ESCAPED = re.compile(r"\\([\\#])")


class Version(msgspec.Struct, frozen=True):
    """The line that names the version."""

    number: int


class Plan(msgspec.Struct, frozen=True):
    """How many points there will be; ``reason`` says why there are none."""

    first: int
    last: int
    reason: str


class Point(msgspec.Struct, frozen=True):
    """A test point. ``directive`` is "", "skip" or "todo"; ``opens``: its subtest follows in braces."""

    ok: bool
    number: int | None
    name: str
    directive: str
    reason: str
    took_s: float | None
    opens: bool


class Bail(msgspec.Struct, frozen=True):
    """The run was given up."""

    reason: str


class Subtest(msgspec.Struct, frozen=True):
    """The heading of a subtest, whose point follows it."""

    name: str


class Comment(msgspec.Struct, frozen=True):
    """A diagnostic."""

    text: str


class Other(msgspec.Struct, frozen=True):
    """A line of another program, or one that says nothing."""

    text: str


Line = Version | Plan | Point | Bail | Subtest | Comment | Other


def read_line(text: str) -> tuple[int, Line]:
    """Return how far a line is indented, and what it is."""
    text = text.rstrip("\r\n")
    # Without its end a line is nearly always printable, which shows that it is plain.
    if not text.isprintable() or "[" in text or "]" in text:
        text = plain(text).replace("\t", _TAB)
    text = text.rstrip()
    bare = text.lstrip(" ")
    return len(text) - len(bare), _meant(bare)


def _meant(text: str) -> Line:
    point = _POINT.match(text)
    if point:
        return _point(point)
    version, plan, bail = _VERSION.match(text), _PLAN.match(text), _BAIL.match(text)
    if version:
        return Version(int(version[1]))
    if plan:
        reason = re.sub(r"\Askip\w*\b:?\s*", "", plan["reason"] or "", flags=re.IGNORECASE)
        return Plan(int(plan[1]), int(plan[2]), reason)
    if bail:
        return Bail(bail["reason"])
    if text.startswith("#"):
        subtest = _SUBTEST.match(text)
        return Subtest(subtest["name"]) if subtest else Comment(text.removeprefix("#").removeprefix(" "))
    return Other("" if _PRAGMA.match(text) or text == "}" else text)


def _point(found: re.Match[str]) -> Point:
    is_not, digits, rest = found.groups()
    rest, number = rest.strip(), int(digits) if digits else None
    if "#" in rest or "\\" in rest or rest.endswith("{"):
        return _detailed_point(rest, number, is_ok=not is_not)
    return Point(not is_not, number, rest.removeprefix("-").lstrip(), "", "", None, False)


def _detailed_point(rest: str, number: int | None, *, is_ok: bool) -> Point:
    """Return a point of which more than a name is given."""
    directive, reason, took_s = "", "", None
    opens = rest.endswith("{")
    rest = rest.removesuffix("{").rstrip() if opens else rest
    took = _TOOK.search(rest) if "#" in rest else None
    if took:
        rest = rest[: took.start()].rstrip()
        took_s = float(took["number"]) / (1 if (took["unit"] or "ms").lower() == "s" else 1000)
    match = _DIRECTIVE.search(rest) if "#" in rest else None
    if match:
        rest, reason = rest[: match.start()].rstrip(), match["reason"].strip()
        directive = "todo" if match["word"].lower() == "todo" else "skip"
    name = _unescaped(rest.removeprefix("-").lstrip())
    return Point(is_ok, number, name, directive, _unescaped(reason), took_s, opens)


def _unescaped(text: str) -> str:
    return _ESCAPED.sub(r"\1", text) if "\\" in text else text
