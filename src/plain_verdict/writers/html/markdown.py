"""Turns the team's own description into HTML: Markdown without HTML, pictures, or links that run."""

from markupsafe import Markup

_DEEPEST, _SHIFT = 6, 2  # a heading of the description stands below the page's own


def render_markdown(text: str) -> Markup:
    """Return the description as HTML. HTML in it is shown as text; links go to http, https and mailto only.

    Source: CommonMark 0.31.2, with its tables as a common extension has them.
    """
    from markdown_it import MarkdownIt  # for descriptions only

    parser = MarkdownIt("commonmark", {"html": False, "typographer": False}).enable("table").disable("image")
    setattr(parser, "validateLink", is_safe_link)  # noqa: B010  the library's own way, which its types don't know
    tokens = parser.parse(text)
    for token in tokens:
        if token.type in ("heading_open", "heading_close"):
            token.tag = f"h{min(int(token.tag[1]) + _SHIFT, _DEEPEST)}"
        token.attrs.pop("style", None)  # a column's alignment; the page's policy allows no inline style
        for child in token.children or ():
            if child.type == "link_open":
                child.attrs["rel"] = "noreferrer"
    return Markup(parser.renderer.render(tokens, parser.options, {}))  # noqa: S704  made by the library, HTML off


def is_safe_link(url: str) -> bool:
    """Return whether a link leads to a page or to a mail, and runs nothing."""
    return url.lower().startswith(("https://", "http://", "mailto:"))
