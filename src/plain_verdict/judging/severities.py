"""Severities as rules of the team name them: one, or one and above."""

from plain_verdict.model import Severity

_OR_ABOVE = " or above"


def read_severity(text: str) -> tuple[Severity, bool]:
    """Return the severity that a scope names, and whether graver ones are meant, too. Raises ValueError."""
    word = text.strip().lower()
    above = word.endswith(_OR_ABOVE)
    try:
        return Severity(word.removesuffix(_OR_ABOVE).strip()), above
    except ValueError:
        known = ", ".join(Severity)
        raise ValueError(f"{text!r} is not a severity; write one of {known}, or “high or above”") from None


def fits_severity(text: str, severity: Severity) -> bool:
    """Return whether a severity is one that a scope means."""
    wanted, above = read_severity(text)
    return severity.rank >= wanted.rank if above else severity is wanted
