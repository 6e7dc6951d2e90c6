"""Reads and checks everything that the brand names, so that a wrong logo ends the run before it begins."""

from pathlib import Path

from plain_verdict.report.brand.brand import Brand, Logo
from plain_verdict.report.brand.colour import DARK_GROUNDS, LIGHT_GROUNDS, read_colour, readable, written
from plain_verdict.runtime.errors import UsageError
from plain_verdict.settings.report_tables import BrandTable

_STYLESHEET_BYTES = 50_000  # of the team: it stands in each page


def read_brand(names: BrandTable) -> Brand:
    """Return the brand, its files read. Raises UsageError where one is missing or broken."""
    if names.link and not names.link.startswith(("https://", "http://")):
        raise UsageError("is not a link", where="brand.link", hint="write it like https://example.test")
    light, dark, notes = _accents(names.accent)
    return Brand(
        organisation=names.organisation,
        logo=_logo(names.logo, "brand.logo"),
        logo_dark=_logo(names.logo_dark, "brand.logo_dark"),
        accent_light=light,
        accent_dark=dark,
        footer=names.footer,
        link=names.link,
        contact=names.contact,
        stylesheet=_stylesheet(names.stylesheet),
        notes=notes,
    )


def _logo(name: str, where: str) -> Logo | None:
    """Return a logo; None where none is named."""
    if not name:
        return None
    from plain_verdict.report.brand.logo import read_logo  # brings Pillow, which pages without pictures do not need

    return read_logo(Path(name), where)


def _accents(text: str) -> tuple[str, str, tuple[str, ...]]:
    if not text:
        return "", "", ()
    wanted = read_colour(text)
    made = {"light": readable(wanted, LIGHT_GROUNDS), "dark": readable(wanted, DARK_GROUNDS)}
    changed = [f"{written(colour)} on {scheme} pages" for scheme, colour in made.items() if colour != wanted]
    notes = (f"The accent colour {written(wanted)} is shown as {' and '.join(changed)} for enough contrast.",)
    return written(made["light"]), written(made["dark"]), notes if changed else ()


def _stylesheet(name: str) -> str:
    """Return the team's own CSS. Raises UsageError where it is too large, broken, or would fetch something."""
    if not name:
        return ""
    import tinycss2  # for stylesheets of the team

    path = Path(name)
    try:
        text = path.read_text("utf-8")
    except (OSError, UnicodeDecodeError) as error:
        reason = error.strerror if isinstance(error, OSError) else "it is not UTF-8"
        raise UsageError(
            f"the stylesheet can't be read ({reason})", path=name, hint="check brand.stylesheet"
        ) from error
    if len(text.encode()) > _STYLESHEET_BYTES:
        raise UsageError(f"the stylesheet is over {_STYLESHEET_BYTES // 1000} KB", path=name)
    for token in tinycss2.parse_component_value_list(text):
        if isinstance(token, tinycss2.ast.ParseError):  # it could end the layer around it
            raise UsageError(f"the stylesheet is broken: {token.message}", path=name, where=str(token.source_line))
    for rule in tinycss2.parse_stylesheet(text, skip_comments=True, skip_whitespace=True):
        if rule.type == "at-rule" and rule.lower_at_keyword == "import":
            raise UsageError(
                "the stylesheet would fetch another one",
                path=name,
                where=str(rule.source_line),
                hint="put its text here",
            )
    if "</" in text:
        raise UsageError("the stylesheet holds '</', which would end it inside a page", path=name)
    return text
