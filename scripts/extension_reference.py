"""Makes the reference of the extension API from the code: a page for each part, of signatures and docstrings."""

import ast
import inspect
import re
import textwrap
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from plain_verdict import extension
from plain_verdict.extension import testing

PAGES = {
    "results": (
        "What results are made of",
        "Build these with names: `Attempt(Outcome.PASSED, took_s=1.2)`. All of them are immutable.",
        (
            "ResultFile Check Attempt Outcome Kind Problem Step Output LogEntry Evidence Fact"
            " SourceLocation SuiteNotes ReadingNote Exchange HttpRequest HttpResponse Body Expectation"
            " Run Tally Verdict VerdictWord Cause"
        ),
    ),
    "readers": (
        "Readers",
        "A reader turns a file into a `ResultFile`. It is asked for files that no format of the program takes.",
        "Reader Head Source Limits ReadError PlainVerdictError",
    ),
    "measures": (
        "Measures",
        'A measure is a number that a condition of the settings can bound: `measure = "its name"`.',
        "Measure CheckedScope Unit COUNT PER_CENT SECONDS PER_SECOND Amount",
    ),
    "sections": (
        "Sections of the page",
        "A section stands before *Inputs*. Its content is data: the page escapes, masks and draws it.",
        "Section Text Table Block Cell",
    ),
    "outputs": (
        "Outputs",
        "An output is asked for by its name: `--output NAME=FILE`.",
        "Writer OutputFile Report PageInfo",
    ),
    "testing": (
        "Builders for tests",
        "From `plain_verdict.extension.testing`.",
        "source_of head_of read check_of run_of scope_of report_of MOMENT",
    ),
}
_QUOTED = re.compile(r"(: |-> |\[)'(\w+)'")
"""A type that is named before it is there."""


def pages() -> Iterator[tuple[str, str]]:
    """Yield the name and the text of each page."""
    for name, (title, words, names) in PAGES.items():
        home = testing if name == "testing" else extension
        entries = "\n".join(entry_of(entry, home) for entry in names.split())
        made = "Made from the code by `scripts/refresh-docs`; [extensions](../extensions.md) says how to begin."
        yield f"{name}.md", f"# {title}\n\n{words} {made}\n\n{entries}"


def entry_of(name: str, home: object) -> str:
    """Return what a name of the API is, in Markdown."""
    thing = getattr(home, name)
    if inspect.isclass(thing):
        return f"## `{name}`\n\n{words_of(thing)}\n\n" + "".join(members_of(thing))
    if inspect.isfunction(thing):
        return f"## `{name}`\n\n{words_of(thing)}\n\n- `{signature_of(node_of(thing))}`\n"
    return f"## `{name}`\n\n{value_of(name, thing)}\n"


def words_of(thing: object) -> str:
    """Return a docstring, with the code in it as Markdown has it."""
    return inspect.cleandoc(thing.__doc__ or "").replace("``", "`")


def value_of(name: str, thing: object) -> str:
    """Return what a constant or a type of several forms is."""
    if name in ("Block", "Cell"):
        forms = str(thing).replace("plain_verdict.report.extension_sections.", "")
        forms = forms.replace("plain_verdict.model.check.", "")
        return f"The type `{forms}`."
    if name == "MOMENT":
        return f"The moment `{thing}` at which reports of tests are made."
    return f"The unit: {words_of(type(thing))[:1].lower()}{words_of(type(thing))[1:]}"


def node_of(thing: object) -> ast.AST:
    """Return the code of a class or a function, parsed."""
    return ast.parse(textwrap.dedent(inspect.getsource(thing))).body[0]  # type: ignore[arg-type]  # either of the two


def members_of(kind: type) -> Iterator[str]:
    """Yield a line for each public field and method of a class, those of enumerations by their values."""
    body = node_of(kind).body  # type: ignore[attr-defined]  # a class
    for position, node in enumerate(body):
        name = getattr(node, "name", "") or (ast.unparse(node.target) if isinstance(node, ast.AnnAssign) else "")
        if isinstance(node, ast.Assign) and isinstance(node.targets[0], ast.Name):
            yield f"- `{ast.unparse(node)}`\n"
        elif isinstance(node, ast.AnnAssign) and not name.startswith("_"):
            after = body[position + 1] if position + 1 < len(body) else None
            is_words = isinstance(after, ast.Expr) and isinstance(after.value, ast.Constant)
            what = (
                f": {inspect.cleandoc(after.value.value)}".replace("``", "`").replace("\n", " ") if is_words else ""
            )
            yield f"- `{ast.unparse(node)}`{what}\n"
        elif isinstance(node, ast.FunctionDef) and not name.startswith("_"):
            words = (ast.get_docstring(node) or "").partition("\n\n")[0].replace("\n", " ").replace("``", "`")
            yield f"- `{signature_of(node)}`: {words}\n"


def signature_of(node: Any) -> str:
    """Return how a function is called, or a property is named, with its types."""
    returns = f" -> {ast.unparse(node.returns)}" if node.returns else ""
    if any("property" in ast.unparse(decorator) for decorator in node.decorator_list):
        return f"{node.name}{returns}"
    arguments = ast.unparse(node.args).removeprefix("self, ").removeprefix("self")
    return _QUOTED.sub(r"\1\2", f"{node.name}({arguments}){returns}")


def refreshed(folder: Path) -> dict[Path, str]:
    """Return the text of each page by its file."""
    return {folder / name: f"{text.rstrip()}\n" for name, text in pages()}
