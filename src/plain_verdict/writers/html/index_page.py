"""Renders the page of an index with the templates and the look of all pages."""

from collections.abc import Iterator, Sequence
from datetime import datetime
from functools import cache

import msgspec
from markupsafe import Markup

from plain_verdict.model import VerdictWord
from plain_verdict.report.brand import Brand
from plain_verdict.report.brand.tokens import token_css
from plain_verdict.settings.choices import Theme
from plain_verdict.writers.html.environment import LAYERS, hash_of, make_environment, read_asset
from plain_verdict.writers.html.links import Links
from plain_verdict.writers.html.theme import make_theme

_STYLES = ("styles/base", "styles/band", "styles/outcome", "styles/foot", "index-page")


class IndexLook(msgspec.Struct, frozen=True):
    """What stands around the rows; ``entries`` is what the page carries for the next time."""

    title: str
    brand: Brand
    made: datetime
    lead: str
    word: VerdictWord
    entries: str
    theme: Theme = Theme.AUTO


def render_index(look: IndexLook, series: Sequence[object]) -> Iterator[str]:
    """Yield the page in pieces."""
    theme = make_theme(look.brand, look.word)
    css, script = _style(), _script()
    sources = f"script-src {hash_of(script)}; style-src {' '.join(map(hash_of, filter(None, (css, theme.css))))}"
    policy = f"default-src 'none'; {sources}; img-src data:; base-uri 'none'; form-action 'none'"
    template = make_environment().get_template("index-page.html.j2")
    return template.generate(
        links=Links({}),
        look=look,
        series=series,
        theme=theme,
        info=look,
        css=css,
        script=script,
        policy_text=policy,
    )


@cache
def _style() -> Markup:
    rules = "\n".join(read_asset(f"{name}.css") for name in _STYLES)
    text = "\n".join((LAYERS, token_css(), read_asset("styles/guard.css"), f"@layer house {{\n{rules}\n}}"))
    return Markup(text)  # noqa: S704  our own files


@cache
def _script() -> Markup:
    return Markup(read_asset("scripts/index-page.js"))  # noqa: S704  our own file
