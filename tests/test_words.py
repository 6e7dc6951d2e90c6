"""Words that the trade does not use, in docs and in what the program says: their number only falls."""

import io
import re
import subprocess
import tokenize

import pytest

from conftest import ROOT

OLD_WORDS = re.compile(
    r"\b(wobbl\w*|mended|as before|set aside|too slight|take\w* (?:it|these rows|them) along|told apart|tells? apart"
    r"|is told|are told|is said|are said|says? so|said (?:below|on|with)|what was asked|how this was read|every check"
    r"|in short|shel(?:f|ves)|the paper|half of (?:all|what)|chance (?:goes|explains)|by chance"
    r"|the numbers of this drawing|drawings?|left alone|out of the door|second go|by habit|beside(?:s)? (?:it|them)"
    r"|is no (?:value|address|number|name|JSONPath|result|TAP|time|date|file|place)|of its own|of one's own|a text of"
    r"|kept rules?|broken rules?)\b",
    re.IGNORECASE,
)
BUDGETS = {"docs": 9, "texts": 9}


def texts_of(kind):
    """Yield each file of a kind with its text: docs, or templates, scripts and the strings of the program."""
    wanted = ("*.md", "docs/*.md") if kind == "docs" else ("src/*.j2", "src/*.js", "src/*.py")
    for name in subprocess.check_output(["git", "ls-files", *wanted], cwd=ROOT, text=True).split():
        text = (ROOT / name).read_text("utf-8")
        if name.endswith(".py"):
            tokens = tokenize.generate_tokens(io.StringIO(text).readline)
            text = "\n".join(token.string for token in tokens if token.type == tokenize.STRING)
        if name != "CHANGELOG.md":
            yield name, text


@pytest.mark.parametrize("kind", BUDGETS)
def test_old_words_only_become_fewer(kind):
    found = [f"{name}: {one[0]}" for name, text in texts_of(kind) for one in OLD_WORDS.finditer(text)]
    assert len(found) <= BUDGETS[kind], found
