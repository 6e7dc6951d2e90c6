"""The fingerprint of settings and options: the same wherever the same rules hold, in whatever file."""

from datetime import tzinfo
from functools import cache
from hashlib import sha256
from pathlib import Path

import msgspec

from plain_verdict.model.judged_content import canonical
from plain_verdict.request.request import ReadRequest

_READING = (
    "drafts",
    "extensions",
    "leave_out_s",
    "limits",
    "mappings",
    "metrics",
    "noise_threshold",
    "requirement_pattern",
    "severities",
    "targets",
    "variants",
)
"""Options of reading that can change an outcome. Paths are not among them: the same files may stand elsewhere."""


def settings_fingerprint(request: ReadRequest) -> str:
    """Return the SHA-256 of what a request says of reading and judging; what is as by default is left out.

    Secrets are not part of it: nobody could guess one by trying.
    """
    options = request.options
    expected = options.expected
    parts = {
        "rules": _set_fields(request.rules),
        "reading": {name: _plain(getattr(options, name)) for name in _READING if _is_set(options, name)},
        # Without the moment that is now: it is another each time.
        "expected": [expected.patterns, expected.files, str(expected.stale_after), str(expected.newer_than or "")],
        "documents": [_hash_of(path) for path in filter(None, (options.api_document, *options.requirements))],
        "masking": [options.masking.off, options.masking.patterns, options.masking.ignore],
        "zone": _name_of(options.zone),
    }
    return sha256(canonical(parts)).hexdigest()


def _set_fields(struct: msgspec.Struct) -> dict[str, object]:
    """Return the fields of a struct that are not as by default: one that a later version adds changes nothing."""
    return {name: _plain(getattr(struct, name)) for name in struct.__struct_fields__ if _is_set(struct, name)}


def _is_set(struct: msgspec.Struct, name: str) -> bool:
    return bool(getattr(struct, name) != _defaults(type(struct))[name])


@cache
def _defaults(kind: type[msgspec.Struct]) -> dict[str, object]:
    return {
        field.name: field.default if field.default_factory is msgspec.NODEFAULT else field.default_factory()
        for field in msgspec.structs.fields(kind)
    }


def _plain(value: object) -> object:
    if isinstance(value, msgspec.Struct):
        return _set_fields(value)
    if isinstance(value, tuple | list | frozenset | set):
        items = list(map(_plain, value))
        return items if isinstance(value, tuple | list) else sorted(items, key=str)
    if isinstance(value, dict):
        return {str(key): _plain(inner) for key, inner in value.items()}
    return value if isinstance(value, str | int | float | bool | None) else str(value)


def _hash_of(path: str) -> str:
    """Return the hash of a document; "" where it can't be read, which reading reports."""
    try:
        return sha256(Path(path).read_bytes()).hexdigest()
    except OSError:
        return ""


def _name_of(zone: tzinfo | None) -> str:
    return "" if zone is None else str(zone)
