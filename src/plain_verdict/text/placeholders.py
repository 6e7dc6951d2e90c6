"""Placeholders like ``{check}`` in patterns and templates."""

from plain_verdict.text.patterns import pattern

PLACEHOLDER = pattern(r"\{([^{}]*)\}")


def placeholders_in(text: str) -> list[str]:
    """Return the names that stand in braces, in their order."""
    return PLACEHOLDER.findall(text)
