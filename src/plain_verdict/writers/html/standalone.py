"""Renders pages that are no report: with the templates and the look of all pages, and few of their styles."""

from collections.abc import Iterator, Sequence
from datetime import datetime
from functools import cache
from typing import Any

import msgspec
from markupsafe import Markup

from plain_verdict.model import VerdictWord
from plain_verdict.report.brand import Brand
from plain_verdict.report.brand.tokens import token_css
from plain_verdict.settings.choices import Theme
from plain_verdict.writers.html.environment import LAYERS, hash_of, make_environment, read_asset
from plain_verdict.writers.html.links import Links
from plain_verdict.writers.html.theme import make_theme

_STYLES = ("styles/base", "styles/band", "styles/outcome", "styles/foot")


class Look(msgspec.Struct, frozen=True, kw_only=True):
    """What stands around a page's content; ``word`` is the verdict of its icon."""

    title: str
    brand: Brand
    made: datetime
    word: VerdictWord
    theme: Theme = Theme.AUTO


def render_standalone(
    template: str, look: Look, styles: Sequence[str], script_file: str = "", **content: Any
) -> Iterator[str]:
    """Yield a page in pieces; ``styles`` and ``script_file`` are its assets."""
    theme = make_theme(look.brand, look.word)
    css = _style((*_STYLES, *styles))
    script = Markup(read_asset(script_file)) if script_file else Markup()  # noqa: S704  our own file
    # No other script or style runs here, whatever a result holds.
    styles_allowed = " ".join(map(hash_of, filter(None, (css, theme.css))))
    sources = f"script-src {hash_of(script)}; style-src {styles_allowed}"
    policy = f"default-src 'none'; {sources}; img-src data:; base-uri 'none'; form-action 'none'"
    return (
        make_environment()
        .get_template(template)
        .generate(
            links=Links({}),
            look=look,
            theme=theme,
            info=look,
            css=css,
            script=script,
            policy_text=policy,
            **content,
        )
    )


@cache
def _style(styles: tuple[str, ...]) -> Markup:
    rules = "\n".join(read_asset(f"{name}.css") for name in styles)
    text = "\n".join((LAYERS, token_css(), read_asset("styles/guard.css"), f"@layer house {{\n{rules}\n}}"))
    return Markup(text)  # noqa: S704  our own files
