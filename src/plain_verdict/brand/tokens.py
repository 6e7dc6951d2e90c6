"""The one table of colours: the stylesheet, the icon and the mail are coloured from it."""

from collections.abc import Mapping

from plain_verdict.model import VerdictWord

OUTCOMES_LIGHT = {
    "passed": "#1d6a52",
    "failed": "#a62f1c",
    "errored": "#6d3978",
    "skipped": "#596373",
    "undecided": "#825900",
}
OUTCOMES_DARK = {
    "passed": "#6fc3a4",
    "failed": "#f08b76",
    "errored": "#cf9bda",
    "skipped": "#a3adba",
    "undecided": "#e0b350",
}
ACCENT_LIGHT, ACCENT_DARK = "#155e8a", "#7cc0ea"
"""Where the brand has none of its own."""
GROUND_LIGHT = {
    "paper": "#fbfaf6",
    "sheet": "#fffefb",
    "ink": "#1d1c1a",
    "soft": "#65615a",
    "line": "#ddd8cb",
    "wash": "#f3f0e8",
    "accent": f"var(--accent-light, {ACCENT_LIGHT})",
}
GROUND_DARK = {
    "paper": "#161614",
    "sheet": "#1c1c19",
    "ink": "#ece8df",
    "soft": "#a8a296",
    "line": "#37352f",
    "wash": "#24231f",
    "accent": f"var(--accent-dark, {ACCENT_DARK})",
}
OF_WORD = {VerdictWord.FIT: "passed", VerdictWord.NOT_FIT: "failed", VerdictWord.UNDECIDED: "undecided"}
"""The outcome whose colour a verdict has."""


def colour_of(word: VerdictWord) -> str:
    """Return the colour of a verdict on light paper."""
    return OUTCOMES_LIGHT[OF_WORD[word]]


def token_css() -> str:
    """Return the colours as custom properties: those with meaning in the layer that no brand can change."""
    light, dark = _declared(OUTCOMES_LIGHT, " !important"), _declared(OUTCOMES_DARK, " !important")
    ground, night = _declared(GROUND_LIGHT), _declared(GROUND_DARK)
    prefers = "@media (prefers-color-scheme: dark) { :root:not([data-theme=light])"
    return "\n".join(
        (
            "@layer guard {",
            f"  :root {{ {light} }}",
            f"  {prefers} {{ {dark} }} }}",
            f"  :root[data-theme=dark] {{ {dark} }}",
            f"  @media print {{ :root:root {{ {light} }} }}",
            "}",
            "@layer house {",
            f"  :root {{ {ground} }}",
            f"  {prefers} {{ {night} }} }}",
            f"  :root[data-theme=dark] {{ {night} }}",
            "}",
        )
    )


def _declared(colours: Mapping[str, str], ending: str = "") -> str:
    return " ".join(f"--{name}: {colour}{ending};" for name, colour in colours.items())
