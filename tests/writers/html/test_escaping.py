"""The one way in which a text enters HTML that Python writes."""

import random

import lxml.html
import markupsafe

from plain_verdict.writers.html.checks.escaping import escaped

SIGNS = ["<", ">", "&", "'", '"', "=", "/", "`", "</", "<!--", "-->", "]]>", "&lt;", "&amp;", "&#39;", "<b onclick=x>", "</pre>", "javascript:", " ", "\n", "\t", "a", "Ø", "é", "\u2028", "\ufffd", "😀", "\x7f"]  # fmt: skip


def test_a_text_comes_out_of_html_as_it_went_in():
    rng = random.Random(18)
    for _ in range(3000):
        text = "".join(rng.choices(SIGNS, k=rng.randrange(12)))
        html = escaped(text)
        assert html == str(markupsafe.escape(text))
        assert not set(html) & set("<>\"'")
        between = lxml.html.fragment_fromstring(f'<p title="{html}">{html}</p>')
        inside = lxml.html.fragment_fromstring(f"<p title='{html}'></p>")
        assert (between.text or "", between.get("title"), inside.get("title")) == (text, text, text)
