"""Settings, with their units in their names."""

import msgspec


class Limits(msgspec.Struct, frozen=True):
    """How much of a result file is kept; whatever a limit takes away is said where it bites."""

    name_chars: int = 500
    message_chars: int = 4_000
    """Of a problem's message, and of its expected and actual values."""
    detail_chars: int = 24_000
    """Of a stack or detail text: its head and its tail are kept."""
    output_chars: int = 24_000
    """Of each captured output: its head and its tail are kept."""
    facts: int = 200
    """Facts kept for one suite or one check."""
    notes: int = 20
    """Reading notes of one file."""


DEFAULT_LIMITS = Limits()
