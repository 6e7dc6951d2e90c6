"""Text that others wrote as Markdown that shows it and does nothing else."""

import re

_SPECIAL = re.compile(r"([\\`*_{}\[\]<>~&|$^#])|^([-+=]|\d{1,9}(?=[.)](?:\s|$)))")
_ACTS = re.compile(
    r"""[@#!~%&$^](?=[\w"'\[])|:(?=//)|:(?=[\w+-]+:)|\b(?:www|gh|mailto|xmpp)(?=[.:-])|(?<=\w)@""", re.IGNORECASE
)
_ZERO_WIDTH = "\u200b"
"""A space of no width: it keeps servers from making links, references and mentions of what stands around it."""


def escape_markdown(text: str) -> str:
    """Return text in one line that reads the same as Markdown, and pings, links and refers to nothing.

    Source: CommonMark 0.31.2, section 2.4 (any ASCII punctuation may be escaped).
    """
    single_line = " ".join(text.split())
    return _SPECIAL.sub(_escaped, _ACTS.sub(lambda found: found[0] + _ZERO_WIDTH, single_line))


def _escaped(found: re.Match[str]) -> str:
    # A number at the beginning would count a list; the sign after it is what is escaped.
    return f"{found[0]}\\" if found[0].isdigit() else f"\\{found[0]}"
