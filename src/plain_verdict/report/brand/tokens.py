"""The one table of design tokens: page, icon, mail and the checks of contrast take colours and sizes from it."""

from collections.abc import Mapping

from plain_verdict.model import VerdictWord

Colours = Mapping[str, str]
"""By name; each is ``#rrggbb``, or what a style sheet makes of another one."""

OUTCOMES_LIGHT: Colours = {
    "passed": "#1d6a52",
    "failed": "#a62f1c",
    "errored": "#6d3978",
    "skipped": "#596373",
    "undecided": "#825900",
}
OUTCOMES_DARK: Colours = {
    "passed": "#6fc3a4",
    "failed": "#f08b76",
    "errored": "#cf9bda",
    "skipped": "#a3adba",
    "undecided": "#e0b350",
}
ACCENT_LIGHT, ACCENT_DARK = "#155e8a", "#7cc0ea"
"""Where the brand has none."""
GROUND_LIGHT: Colours = {
    "paper": "#fbfaf6",
    "sheet": "#fffefb",
    "ink": "#1d1c1a",
    "soft": "#65615a",
    "line": "#ddd8cb",
    "wash": "#f3f0e8",
    "accent": f"var(--accent-light, {ACCENT_LIGHT})",
}
GROUND_DARK: Colours = {
    "paper": "#161614",
    "sheet": "#1c1c19",
    "ink": "#ece8df",
    "soft": "#a8a296",
    "line": "#37352f",
    "wash": "#24231f",
    "accent": f"var(--accent-dark, {ACCENT_DARK})",
}
GROUND_PRINT: Colours = {
    "paper": "#ffffff",
    "sheet": "#ffffff",
    "ink": "#000000",
    "soft": "#4a4742",
    "line": "#cfcabd",
    "wash": "#f3f0e8",
    "accent": f"var(--accent-light, {ACCENT_LIGHT})",
}
SIGN = "#fff"
"""Of the icon, on the verdict's colour."""
PLATE_ON_LIGHT, PLATE_ON_DARK = "#35322c", "#f6f3ea"
"""Behind a logo that would be lost on the band."""
PLATE_PADDING = "5px 9px"
LOGO_LIGHT = {
    "if-light": "block",
    "if-dark": "none",
    "plate-light": PLATE_ON_LIGHT,
    "plate-dark": "transparent",
    "pad-light": PLATE_PADDING,
    "pad-dark": "0",
}
"""Which logo is shown, and on which plate."""
LOGO_DARK = {
    "if-light": "none",
    "if-dark": "block",
    "plate-light": "transparent",
    "plate-dark": PLATE_ON_DARK,
    "pad-light": "0",
    "pad-dark": PLATE_PADDING,
}
SIZES = {
    "page-width": "1160px",
    "text-tiny": "0.78rem",
    "text-small": "0.8125rem",
    "text-note": "0.875rem",
    "text-list": "0.9375rem",
    "text-lead": "1.0625rem",
}
"""Of the page and of its type, the text of paragraphs being 1 rem."""
OF_WORD = {VerdictWord.FIT: "passed", VerdictWord.NOT_FIT: "failed", VerdictWord.UNDECIDED: "undecided"}
"""The outcome whose colour a verdict has."""


def colour_of(word: VerdictWord) -> str:
    """Return the colour of a verdict on light paper."""
    return OUTCOMES_LIGHT[OF_WORD[word]]


def grounds(colours: Colours) -> tuple[str, ...]:
    """Return the colours that text stands on: paper, sheet, wash."""
    return colours["paper"], colours["sheet"], colours["wash"]


def token_css() -> str:
    """Return the tokens as custom properties: those with meaning in the layer that no brand can change."""
    light, dark = _declared(OUTCOMES_LIGHT, " !important"), _declared(OUTCOMES_DARK, " !important")
    day, night = _declared({**GROUND_LIGHT, **LOGO_LIGHT}), _declared({**GROUND_DARK, **LOGO_DARK})
    print_colours = _declared({**GROUND_PRINT, **LOGO_LIGHT})
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
            f"  :root {{ {_declared(SIZES)} {day} }}",
            f"  {prefers} {{ {night} }} }}",
            f"  :root[data-theme=dark] {{ {night} }}",
            f"  @media print {{ :root:root {{ {print_colours} }} }}",
            f"  @page {{ @bottom-right {{ color: {GROUND_PRINT['soft']}; }} }}",  # a margin knows no properties
            "}",
        )
    )


def _declared(values: Mapping[str, str], ending: str = "") -> str:
    return " ".join(f"--{name}: {value}{ending};" for name, value in values.items())
