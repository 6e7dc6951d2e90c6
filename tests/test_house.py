"""The house rules that a machine can check, and properties that hold for any input."""

import ast
import copy
import importlib
import pickle
import re
import subprocess
import sys
import tempfile
import tomllib
from pathlib import Path

import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st
from packaging.requirements import Requirement
from packaging.utils import canonicalize_name

import plain_verdict
from conftest import ROOT
from plain_verdict.text.cleaning import block, single_line
from plain_verdict.text.patterns import _Pattern

SOURCE = Path(plain_verdict.__file__).parent
# Lower may not import higher; those on one level know nothing of each other. A part of a folder may have its own level.
LEVELS = {
    "__version__": -1,
    "runtime.errors": 0,
    "runtime.patience": 0,
    "runtime.processes": 0,
    "runtime.work": 0,
    "text": 1,
    "runtime.atomic_files": 1,
    "model": 2,
    "runtime.cluster": 2,
    "runtime.guard": 2,
    "runtime.pools": 2,
    "delivery.channels": 2,
    "load": 3,
    "masking": 3,
    "merging": 3,
    "runtime.executors": 3,
    "extension.loading": 3,
    "settings": 3,
    "http": 4,
    "inputs": 4,
    "report.brand": 4,
    "api": 5,
    "evidence": 5,
    "readers": 5,
    "remote": 5,
    "history": 6,
    "judging": 6,
    "requirements": 6,
    "delivery.local": 7,
    "report": 7,
    "writers": 8,
    "delivery.report_index": 9,
    "delivery.attestation": 9,
    "request": 10,
    "delivery.verification": 10,
    "delivery.publish_remote": 11,
    "pipeline": 11,
    "delivery.publish": 12,
    "__init__": 12,
    "extension": 12,
    "delivery.notify": 13,
    "cli": 14,
    "__main__": 15,
}


def part_of(module: str) -> str:
    """The part of the package, as LEVELS has it, that a module belongs to."""
    names = module.removeprefix("plain_verdict.").split(".")
    found = (".".join(names[:length]) for length in range(len(names), 0, -1))
    return next(part for part in found if part in LEVELS)


def name_of(path: Path) -> str:
    names = path.relative_to(SOURCE).with_suffix("").parts
    return ".".join(names[:-1] if len(names) > 1 and names[-1] == "__init__" else names)


def imported(node: ast.AST) -> list[str]:
    """The modules of the package that a node imports, in whatever form."""
    if isinstance(node, ast.Import):
        names = [alias.name for alias in node.names]
    elif isinstance(node, ast.ImportFrom):
        assert node.level == 0, "imports are absolute"
        names = (
            [f"plain_verdict.{alias.name}" for alias in node.names]
            if node.module == "plain_verdict"
            else [node.module]
        )
    else:
        return []
    return [name for name in names if name.startswith("plain_verdict.")]


def test_no_form_of_import_goes_unseen():
    forms = ("import plain_verdict.cli.x", "from plain_verdict import cli", "from plain_verdict.cli import x")
    assert [imported(ast.parse(form).body[0])[0].split(".")[1] for form in forms] == ["cli"] * 3


def test_imports_go_one_way_only():
    wrong = []
    for path in SOURCE.rglob("*.py"):
        # A folder's own __init__ only says what the folder is.
        if path.parent != SOURCE and path.name == "__init__.py" and name_of(path) in ("delivery", "runtime"):
            continue
        here = part_of(name_of(path))
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            wrong += [
                f"{path.name}: {module}"
                for module in imported(node)
                if part_of(module) != here and LEVELS[part_of(module)] >= LEVELS[here]
            ]
    assert wrong == []


OPENS = {
    "api",
    "cli",
    "delivery",
    "evidence",
    "extension.loading",
    "history",
    "inputs",
    "readers",
    "remote",
    "report.brand",
    "request",
    "requirements",
    "runtime.atomic_files",
    "settings",
}
"""Parts of the package that open files of users, or write them; writers read only what ships with the program."""
OF_NETWORKS = {"requests", "smtplib", "paramiko", "fsspec", "psycopg", "distributed", "socket", "ssl"}
ON_NETWORKS = {"remote", "delivery.channels", "history", "runtime.cluster"}


def names_called(tree: ast.AST) -> set[str]:
    """The names of functions that are called; pictures in memory are opened by Image.open."""
    calls = (node.func for node in ast.walk(tree) if isinstance(node, ast.Call))
    return {ast.unparse(call).removesuffix("Image.open").rpartition(".")[2] for call in calls}


def test_files_and_networks_are_opened_only_where_the_architecture_says():
    wrong, seen = [], set()
    for path in SOURCE.rglob("*.py"):
        if name_of(path) in ("delivery", "runtime"):
            continue
        tree, part = ast.parse(path.read_text("utf-8")), part_of(name_of(path))
        opens = names_called(tree) & {"open", "read_text", "read_bytes", "write_text", "write_bytes"}
        own = "__file__" in path.read_text("utf-8")
        allowed = part in OPENS or part.split(".")[0] in OPENS or own
        # In memory: what is unpacked, and a verdict's word; and what an installer noted of this program.
        wrong += (
            []
            if allowed or path.stem in ("unpacking", "sentence", "installation", "testing")
            else [f"{path.name}: {call}" for call in opens]
        )
        modules = {
            name.split(".")[0]
            for node in ast.walk(tree)
            if isinstance(node, ast.Import | ast.ImportFrom)
            for name in (
                [node.module] if isinstance(node, ast.ImportFrom) else [alias.name for alias in node.names]
            )
        }
        used = modules & OF_NETWORKS
        seen |= used
        wrong += [f"{path.name}: {name}" for name in used if part not in ON_NETWORKS]
    assert wrong == []
    assert len(seen) >= 4


def test_help_and_version_import_nothing_heavy():
    code = "import sys; from plain_verdict.cli import make_parser; make_parser().format_help(); print(*sys.modules)"
    loaded = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.split()
    assert not {"lxml", "jinja2", "msgspec", "rich", "plain_verdict.model", "json"} & set(loaded)


def test_a_page_of_checks_imports_nothing_of_load_runs(tmp_path):
    (tmp_path / "r.xml").write_text('<testsuite name="Quay"><testcase name="sails"/></testsuite>')
    code = (
        "import sys; from plain_verdict.cli import main; main(['report', 'r.xml', '--quiet']); print(*sys.modules)"
    )
    command = [sys.executable, "-c", code]
    loaded = subprocess.run(command, capture_output=True, text=True, check=True, cwd=tmp_path).stdout.split()
    heavy = {
        "numpy",
        "pyarrow",
        "scipy",
        "matplotlib",
        "dask",
        "distributed",
        "concurrent.futures",
        "asyncio",
        "email.message",
    }
    assert not heavy & set(loaded)
    assert not [
        name for name in loaded if name.startswith(("plain_verdict.report.load", "plain_verdict.readers.mapping."))
    ]
    # Each costs half a millisecond of every run: a new one is added to the list on purpose, and one less is taken out.
    listed = set((ROOT / "tests" / "modules_of_a_small_report.txt").read_text("utf-8").split())
    own = {name for name in loaded if name.startswith("plain_verdict.")}
    assert own - listed == set()
    assert len(listed - own) < 5


@pytest.mark.slow
def test_the_docs_show_what_the_program_really_prints():
    done = subprocess.run(
        [sys.executable, ROOT / "scripts" / "refresh-docs", "--check"], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout + done.stderr


@given(st.text(max_size=300), st.integers(20, 60))
def test_any_text_becomes_plain_and_no_longer_than_its_limit(text, limit):
    line = single_line(text, limit)
    assert len(line) <= limit
    assert not any(
        ord(char) < 32 or 0x202A <= ord(char) <= 0x202E or 0x2066 <= ord(char) <= 0x2069 for char in line
    )
    cut = block(text, limit)
    assert len(cut) < limit + 60
    assert not any(ord(char) < 32 and char not in "\n\t" for char in cut)


XML = b'<testsuites><testsuite name="Quay" tests="2"><testcase name="s&#246;ils" time="1,5"><failure message="x">y</failure></testcase><testcase name="lands"/></testsuite></testsuites>'


@example([(11, b"\x98")])
@given(st.lists(st.tuples(st.integers(0, len(XML) - 1), st.binary(min_size=0, max_size=4)), min_size=1, max_size=5))
@settings(
    max_examples=150,
    deadline=None,
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow],
)
@pytest.mark.slow
def test_no_damage_ends_in_a_traceback(tool, tmp_path, edits):
    data = bytearray(XML)
    for place, piece in edits:
        data[place : place + len(piece) + 1] = piece
    (tmp_path / "r.xml").write_bytes(bytes(data))
    done = tool("report", "r.xml")
    assert done.code in (0, 3)
    assert "Traceback" not in done.err
    assert "bug" not in done.err


@pytest.mark.parametrize("lock", ["dev", "use"])
def test_the_lock_has_what_is_wanted_with_hashes(lock):
    text = (ROOT / "locks" / f"{lock}.txt").read_text("utf-8")
    entries = re.split(r"\n(?=[a-z0-9])", text.strip())
    locked = {}
    for entry in entries:
        name, version = re.match(r"([\w.-]+)==([^\s;]+)", entry).groups()
        locked.setdefault(canonicalize_name(name), []).append(version)
        assert entry.count("--hash=sha256:") >= 1
    project = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))
    extras, groups = project["project"]["optional-dependencies"], project["dependency-groups"]
    wanted = [*project["project"]["dependencies"], *groups["build"]]
    wanted += (
        [*extras["load"], *extras["earl"]]
        if lock == "use"
        else [one for group in (*extras.values(), groups["dev"]) for one in group]
    )
    for requirement in (Requirement(one) for one in wanted if isinstance(one, str)):
        versions = locked.get(canonicalize_name(requirement.name), [])
        assert requirement.name.startswith("plain-verdict") or any(map(requirement.specifier.contains, versions)), (
            requirement
        )
    assert "://" not in text


def test_every_expression_that_is_compiled_late_is_one():
    """What ``re.compile`` says of a mistake when its module is imported, this says here."""
    late = []
    for path in SOURCE.rglob("*.py"):
        if "import pattern\n" in path.read_text("utf-8"):
            module = importlib.import_module(f"plain_verdict.{name_of(path)}")
            late += _late_patterns(vars(module).values())
    assert len(late) > 100
    assert [found.pattern for found in late] == [found._source[0] for found in late]
    assert pickle.loads(pickle.dumps(late[0])).pattern == copy.copy(late[0]).pattern == late[0].pattern


def _late_patterns(values):
    for value in values:
        if isinstance(value, _Pattern):
            yield value
        elif isinstance(value, tuple | list):
            yield from _late_patterns(value)
        elif isinstance(value, dict):
            yield from _late_patterns(value.values())


def test_a_small_report_compiles_few_expressions():
    code = (
        "import re._compiler as c, sys; made = []; real = c.compile\n"
        "c.compile = lambda *a: made.append(a) or real(*a)\n"
        "from plain_verdict.cli import main; main(['report', 'few.xml', '--quiet', '--no-git'])\n"
        "sys.exit(len(made))"
    )
    with tempfile.TemporaryDirectory() as folder:
        Path(folder, "few.xml").write_text("<testsuite name='Desk'><testcase name='seats'/></testsuite>")
        done = subprocess.run([sys.executable, "-c", code], cwd=folder, capture_output=True, check=False)
    assert 20 < done.returncode <= 105, done.stderr
