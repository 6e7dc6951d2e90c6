"""Makes the lines of a record: JSON, problems from exceptions, evidence as files beside the record."""

import json
import os
from io import BytesIO
from json.encoder import encode_basestring

ROLES = ("expected", "actual", "difference", "poster")
"""What a picture is to others of its check."""
TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import TypeAlias

    Line: TypeAlias = dict[str, object]
else:
    Line = dict

VERSION = 1
"""Of the format that is written, and read."""
_FILE_NAME_CHARS = 80  # file systems take 255 bytes, and a hash stands before it
_SKIPS = ("Skipped", "SkipTest", "SkippedTest")
_encoder = json.JSONEncoder(ensure_ascii=False, separators=(",", ":"), default=str)


def about_evidence(role: str, began: float | None = None) -> "Line":
    """Return the keys of an evidence line that say more about it; readers would lose a line of an unknown role."""
    about: Line = {"role": role} if role in ROLES else {}
    return about if began is None else {**about, "began": float(began)}


def encode(line: Line) -> bytes:
    """Return a line as UTF-8 JSON; values that JSON does not know become text."""
    # By hand for plain values: a step is two lines, and the encoder for any value takes three times as long.
    if "request" in line:  # nested: each part by itself would set the encoder up again
        return f"{_encoder.encode(line)}\n".encode("utf-8", "backslashreplace")
    parts = []
    for key, value in line.items():
        if isinstance(value, str):
            text = encode_basestring(value)
        elif isinstance(value, float):
            text = repr(value)
        else:
            text = _encoder.encode(value)
        parts.append(f'"{key}":{text}')
    return f"{{{','.join(parts)}}}\n".encode("utf-8", "backslashreplace")


class Difference(AssertionError):  # noqa: N818  the name says what it is
    """Two values that should be the same are not."""

    def __init__(self, expected: object, actual: object, message: str = "") -> None:
        super().__init__(message or f"expected {expected!r}, got {actual!r}")
        self.expected = expected
        self.actual = actual


class Unmet(AssertionError):  # noqa: N818  the name says what it is
    """Expectations of a check were not met, though it went on."""

    def __init__(self, messages: "list[str]") -> None:
        more = f" (and {len(messages) - 1} more)" if len(messages) > 1 else ""
        super().__init__(f"{messages[0]}{more}")


def as_text(value: object) -> "str | None":
    """Return a value as an expectation shows it; None for none."""
    if value is None or isinstance(value, str):
        return value
    return _encoder.encode(value) if isinstance(value, (dict, list, tuple, bool)) else str(value)


def values_of(error: BaseException | None) -> Line:
    """Return the expected and actual values that an exception carries, as text."""
    if not isinstance(error, Difference):
        return {}
    pair = (("expected", error.expected), ("actual", error.actual))
    return {key: value if isinstance(value, str) else repr(value) for key, value in pair}


def kind_of(error: BaseException) -> str:
    """Return an exception's type as a reader knows it."""
    if isinstance(error, Unmet):
        return ""  # its expectations say all there is
    return "AssertionError" if isinstance(error, Difference) else type(error).__name__


def problem_of(error: BaseException) -> "tuple[str, str, Line | None]":
    """Return (outcome, reason, problem) of what an exception means."""
    if type(error).__name__ in _SKIPS:
        return "skipped", str(error), None
    import traceback  # for failures only

    problem: Line = {
        "type": kind_of(error),
        "message": str(error),
        "detail": "".join(traceback.format_exception(type(error), error, error.__traceback__)),
        **values_of(error),
    }
    return ("failed" if isinstance(error, AssertionError) else "errored"), "", problem


def safe_name(name: str) -> str:
    """Return a file name that every system takes."""
    kept = "".join(char if char.isalnum() or char in "-_." else "-" for char in os.path.basename(name))
    return kept.lstrip(".")[-_FILE_NAME_CHARS:] or "evidence"


def evidence_bytes(evidence: object, name: str, record: str) -> tuple[str, str]:
    """Return (path relative to the record, name) of evidence, written beside the record where it must be."""
    folder = os.path.dirname(os.path.abspath(record))
    if isinstance(evidence, (str, os.PathLike)):
        path = os.path.abspath(evidence)
        name = name or os.path.basename(path)
        if os.path.commonpath([folder, path]) == folder:
            return os.path.relpath(path, folder).replace(os.sep, "/"), name
        with open(path, "rb") as file:
            data = file.read()
    elif isinstance(evidence, (bytes, bytearray, memoryview)):
        data = bytes(evidence)
    else:
        data = _picture(evidence)
        name = name or "picture.png"
    from hashlib import sha256  # for evidence only

    # Named after its content, so that the same picture taken twice is written once.
    name = name or "evidence"
    kept = f"{os.path.basename(record).split('.')[0]}-evidence"
    target = os.path.join(folder, kept, f"{sha256(data).hexdigest()[:12]}-{safe_name(name)}")
    if not os.path.exists(target):
        os.makedirs(os.path.dirname(target), exist_ok=True)
        part = f"{target}.{os.getpid()}"
        with open(part, "wb") as file:
            file.write(data)
        os.replace(part, target)
    return f"{kept}/{os.path.basename(target)}", name


def _picture(evidence: object) -> bytes:
    buffer = BytesIO()
    save = getattr(evidence, "savefig", None) or getattr(evidence, "save", None)
    if save is None:
        raise TypeError(f"evidence is bytes, a path, or has save(); this is {type(evidence).__name__}")
    save(buffer, format="png")
    return buffer.getvalue()
