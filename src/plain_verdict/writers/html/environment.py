"""The one Jinja2 environment: everything is escaped, nothing undefined passes, and assets come in one way."""

import os
import sys
from base64 import b64encode
from contextlib import suppress
from functools import cache
from hashlib import sha256
from pathlib import Path

from jinja2 import BytecodeCache, Environment, FileSystemLoader, StrictUndefined
from jinja2.bccache import Bucket
from markupsafe import Markup

from plain_verdict import __version__
from plain_verdict.judging.sentence import name_kind
from plain_verdict.model import BAD, Outcome
from plain_verdict.report.brand.tokens import token_css
from plain_verdict.text import formatting
from plain_verdict.writers.html.checks.evidence import data_url
from plain_verdict.writers.html.checks.rows import name_html, outcome_html, severity_html
from plain_verdict.writers.html.checks.texts import fold_html, pair_html
from plain_verdict.writers.html.links import only, way
from plain_verdict.writers.html.markdown import is_safe_link, render_markdown

_FOLDER = Path(__file__).parent
_TEMPLATES = (
    _FOLDER / "templates",
    _FOLDER / "sections",
    _FOLDER.parent / "mail" / "templates",
)
LAYERS = "@layer guard, house, brand;"
_SHARED = tuple(
    f"styles/{name}"
    for name in (
        *(
            "base",
            "band",
            "frame",
            "outcome",
            "tools",
            "check",
            "check_inside",
            "exchanges",
            "steps",
            "evidence",
            "parameters",
        ),
        *("folded", "dialogs", "foot"),
    )
)
_MEDIA = ("styles/narrow", "styles/print")


class CompiledBeside(BytecodeCache):
    """Keeps templates compiled next to them, as Python does its modules: compiling outlasts a small report."""

    def load_bytecode(self, bucket: Bucket) -> None:
        """Take a template's compiled form, if it is there; Jinja2 compares it with the source."""
        with suppress(OSError), self._path(bucket).open("rb") as file:
            bucket.load_bytecode(file)

    def dump_bytecode(self, bucket: Bucket) -> None:
        """Keep a template's compiled form, where the package's folder can be written to."""
        if sys.dont_write_bytecode:
            return
        part = self._path(bucket).with_suffix(f".{os.getpid()}")
        with suppress(OSError):
            part.parent.mkdir(exist_ok=True)
            with part.open("wb") as file:
                bucket.write_bytecode(file)
            part.replace(self._path(bucket))

    @staticmethod
    def _path(bucket: Bucket) -> Path:
        return _FOLDER / "templates" / "__pycache__" / f"{bucket.key}.{sys.implementation.cache_tag}.jinja"


@cache
def make_environment() -> Environment:
    """Return the one environment of the program, which renders all templates."""
    environment = Environment(
        loader=FileSystemLoader(_TEMPLATES),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
        bytecode_cache=CompiledBeside(),
    )
    environment.filters.update(
        duration=formatting.format_duration,
        file_size=formatting.format_size,
        day=formatting.format_day,
        time_of_day=formatting.format_time_of_day,
        plural=formatting.plural,
        capital=formatting.capital,
    )
    environment.tests["safe_link"] = is_safe_link
    environment.globals.update(
        OUTCOMES=tuple(Outcome),
        BAD=BAD,
        asset=asset,
        policy=policy,
        markdown=render_markdown,
        name_html=name_html,
        fold=fold_html,
        pair=pair_html,
        data_url=data_url,
        outcome_html=outcome_html,
        format_date=formatting.format_date,
        format_span=formatting.format_span,
        version=__version__,
        severity_html=severity_html,
        way=way,
        only=only,
        kind_name=lambda kind: formatting.capital(name_kind(kind)),
    )
    return environment


@cache
def asset(name: str) -> Markup:
    """Return the text of the stylesheet or the script: the only text that enters the page unescaped."""
    text = _stylesheet() if name == "style.css" else read_asset("scripts/page.js")
    return Markup(text)  # noqa: S704  our own files, no result text


def _stylesheet() -> str:
    """Return the styles of what all pages share and of each section, those for paper last.

    What is important in the guard wins over everything; a brand's own layer wins over the house's.
    """
    sections = sorted(path.parent.name for path in (_FOLDER / "sections").glob("*/section.css"))
    house = [*_SHARED, *(f"sections/{name}/section" for name in sections), *_MEDIA]
    rules = "\n".join(read_asset(f"{name}.css") for name in house)
    return "\n".join((LAYERS, token_css(), read_asset("styles/guard.css"), f"@layer house {{\n{rules}\n}}"))


def read_asset(name: str) -> str:
    """Return the text of a style or a script of ours."""
    return (_FOLDER / name).read_text("utf-8").strip()


def policy(folder: bool, css: str) -> str:  # noqa: FBT001  called by a template
    """Return the page's Content-Security-Policy: nothing but its own style and script, and what is drawn."""
    if folder:
        sources = "script-src 'self'; style-src 'self'; img-src 'self'; media-src 'self'"
    else:
        styles = [hash_of(asset("style.css")), *([hash_of(css)] if css else [])]
        script = hash_of(asset("script.js"))
        sources = f"script-src {script}; style-src {' '.join(styles)}; img-src data:; media-src data:"
    return f"default-src 'none'; {sources}; base-uri 'none'; form-action 'none'"


def hash_of(text: str) -> str:
    """Return the hash by which the page's own policy allows this style or script and nothing else.

    Source: Content Security Policy Level 3, section 2.3.1 (hash-source).
    """
    return f"'sha256-{b64encode(sha256(text.encode()).digest()).decode()}'"
