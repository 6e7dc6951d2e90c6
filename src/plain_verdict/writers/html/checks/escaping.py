"""The one way in which a text enters HTML that is written in Python."""


def escaped(text: str) -> str:
    """Return a text as it stands between tags and in attributes with either quote.

    Source: HTML Living Standard, section 13.1.4 (character references), as markupsafe writes them in templates.
    """
    return (
        text.replace("&", "&amp;")
        .replace("<", "&lt;")
        .replace(">", "&gt;")
        .replace("'", "&#39;")
        .replace('"', "&#34;")
    )
