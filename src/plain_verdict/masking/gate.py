"""Tells fast that a text holds no secret: nearly none does, and looking for every shape would take long."""

from collections.abc import Sequence

import msgspec
from ahocorasick_rs import AhoCorasick, BytesAhoCorasick

from plain_verdict.masking.shapes import SHAPES, Shape

_PLACES = ("/home/", "/users/", "\\users\\")
# Every digit becomes 0, spaces and hyphens go, so that a long number is a plain run of zeros.
_DIGITS = bytes(0x30 if 0x30 <= byte <= 0x39 else 0x78 for byte in range(256))
_GAPS = b" -"
_CARD = b"0" * 13


class Gate:
    """Looks for the needles of all shapes at once, in one pass over a text (Aho-Corasick)."""

    def __init__(self, home: str) -> None:
        self._shapes: list[Shape | None] = []
        needles: list[str] = []
        for shape in SHAPES:
            needles += shape.needles
            self._shapes += [shape] * len(shape.needles)
        places = (*_PLACES, *([home.lower()] if home else []))
        needles += places
        self._shapes += [None] * len(places)
        self._always = tuple(shape for shape in SHAPES if not shape.needles)
        self._in_bytes = BytesAhoCorasick([needle.encode() for needle in needles])
        self._in_text = AhoCorasick(needles)

    def stops(self, things: Sequence[msgspec.Struct]) -> bool:
        """Return whether any text in the structs may hold a secret, or a path below somebody's home."""
        packed = msgspec.msgpack.encode(things)
        if self._in_bytes.find_matches_as_indexes(packed.lower(), overlapping=True):
            return True
        return _CARD in packed.translate(_DIGITS, _GAPS)

    def shapes_in(self, text: str) -> tuple[tuple[Shape, ...], bool]:
        """Return the shapes that a text may hold, in their order, and whether it may name a home folder."""
        found = {match[0] for match in self._in_text.find_matches_as_indexes(text.lower(), overlapping=True)}
        shapes = {id(shape) for shape in map(self._shapes.__getitem__, found) if shape}
        possible = tuple(shape for shape in SHAPES if id(shape) in shapes or shape in self._always)
        return possible, any(self._shapes[number] is None for number in found)
