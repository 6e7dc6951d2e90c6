"""Names in JUnit XML as they tell what a check is: what differs from run to run not counted, parameters apart."""

import re
from collections.abc import Mapping

from plain_verdict.model import Fact, SourceLocation
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.patterns import pattern

_STAMP = pattern(r"-20\d\d(?:0[1-9]|1[0-2])[0-3]\d[0-2]\d[0-5]\d[0-5]\d\Z")
_STAMP_CHARS = 15
_ABSOLUTE = pattern(r"(?:/|[A-Za-z]:[/\\])(?:[^/\\\n]+[/\\]){3,}[^/\\\n]+\.[A-Za-z]\w{0,5}\Z")
_PATH_PARTS = 3


def without_run(name: str) -> str:
    """Return a suite's name without what differs from run to run, or from machine to machine.

    That is a time stamp at its end, and the folders above the last of a file's absolute path.
    """
    if len(name) > _STAMP_CHARS and name[-1].isdigit():
        stamp = _STAMP.search(name)
        name = name[: stamp.start()] if stamp else name
    if _ABSOLUTE.match(name):
        name = "/".join(re.split(r"[/\\]", name)[-_PATH_PARTS:])
    return name


def split_parameters(raw: str) -> tuple[str, tuple[Fact, ...]]:
    """Return a raw name without its parameters, and these."""
    bracket = raw.find("[")
    if bracket > 0 and raw.endswith("]") and len(raw) - bracket > 2:
        return raw[:bracket], (Fact("", raw[bracket + 1 : -1]),)
    return raw, ()


def location_of(attributes: Mapping[str, str], limits: Limits) -> SourceLocation | None:
    """Return where a case is written, by its attributes; None where they do not say."""
    file = attributes.get("file")
    if not file:
        return None
    line = attributes.get("line", "")
    return SourceLocation(
        single_line(file, limits.name_chars), int(line) if line.isascii() and line.isdigit() else None
    )
