"""Placeholders like ``{check}`` in patterns and templates."""

import re

PLACEHOLDER = re.compile(r"\{([^{}]*)\}")


def placeholders_in(text: str) -> list[str]:
    """Return the names that stand in braces, in their order."""
    return PLACEHOLDER.findall(text)
