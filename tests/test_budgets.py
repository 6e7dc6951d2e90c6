"""What was won about the shape of the code stays won: each number may only fall, and then its budget falls with it."""

import ast
import io
import re
import tokenize
from collections import Counter, defaultdict
from functools import cache
from pathlib import Path

import plain_verdict
import plain_verdict_recorder

SOURCE, RECORDER = (Path(package.__file__).parent for package in (plain_verdict, plain_verdict_recorder))
BUDGETS = {
    "entries at the top of the package": 26,
    "imports inside functions": 106,
    "imports inside functions without a reason beside": 0,
    "functions with more than 10 paths": 79,
    "most paths of a function": 12,
    "constants equal in two modules": 2,
    "constants of one name with several values": 25,
    "packages with one module": 1,
    "files of more than 400 lines": 0,
    "names of the house": 18,
}
LEAST_COMMENTS = 1.9
"""In 100 lines; this one may only grow."""
FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef)
BRANCHES = (ast.If, ast.For, ast.AsyncFor, ast.While, ast.ExceptHandler, ast.IfExp, ast.comprehension, ast.Assert)
HOUSE = re.compile(
    r"(?:^|_)(one|own|told|several|said|tell|says?|besides|apart|twins|wobbl\w*|matter|asked|trifle|roster|places?|elsewhere|here)(?:$|_)"
)


@cache
def modules():
    texts = {path: path.read_text("utf-8") for path in sorted([*SOURCE.rglob("*.py"), *RECORDER.rglob("*.py")])}
    return {path: (text, ast.parse(text)) for path, text in texts.items()}


def functions(tree):
    return [node for node in ast.walk(tree) if isinstance(node, FUNCTIONS)]


def paths_through(function):
    """McCabe's number, with boolean operators; functions inside count by themselves. Source: McCabe 1976."""
    total, waiting = 1, list(ast.iter_child_nodes(function))
    while waiting:
        node = waiting.pop()
        if not isinstance(node, FUNCTIONS):
            total += isinstance(node, BRANCHES)
            total += len(node.values) - 1 if isinstance(node, ast.BoolOp) else 0
            total += len(node.ifs) if isinstance(node, ast.comprehension) else 0
            waiting += ast.iter_child_nodes(node)
    return total


def late_imports():
    found = {}
    for path, (text, tree) in modules().items():
        lines = text.splitlines()
        for function in functions(tree):
            for node in ast.walk(function):
                if isinstance(node, ast.Import | ast.ImportFrom):
                    found[path, node.lineno] = "#" in lines[node.lineno - 1]
    return found


def constants():
    by_name = defaultdict(list)
    for _, tree in modules().values():
        for node in tree.body:
            for target in node.targets if isinstance(node, ast.Assign) else []:
                if isinstance(target, ast.Name) and target.id.strip("_").isupper():
                    by_name[target.id].append(ast.unparse(node.value))
    return by_name


@cache
def measured():
    late = late_imports()
    paths = [paths_through(function) for _, tree in modules().values() for function in functions(tree)]
    tokens = [
        token
        for text, _ in modules().values()
        for token in tokenize.generate_tokens(io.StringIO(text).readline)
        if token.type == tokenize.NAME
    ]
    packages = Counter(path.parent for path in modules() if path.name != "__init__.py")
    return {
        "entries at the top of the package": sum(path.name != "__pycache__" for path in SOURCE.iterdir()),
        "imports inside functions": len(late),
        "imports inside functions without a reason beside": sum(not reason for reason in late.values()),
        "functions with more than 10 paths": sum(number > 10 for number in paths),
        "most paths of a function": max(paths),
        "constants equal in two modules": sum(max(Counter(v).values()) > 1 for v in constants().values()),
        "constants of one name with several values": sum(len(set(values)) > 1 for values in constants().values()),
        "packages with one module": sum(
            packages[path.parent] <= 1 for path in modules() if path.name == "__init__.py"
        ),
        "files of more than 400 lines": sum(len(text.splitlines()) > 400 for text, _ in modules().values()),
        "names of the house": sum(bool(HOUSE.search(token.string.lower())) for token in tokens),
    }


def test_no_number_grows_past_its_budget_and_no_budget_is_larger_than_its_number():
    found = measured()
    assert {what: number for what, number in found.items() if number > BUDGETS[what]} == {}
    fell = {what: number for what, number in found.items() if number < 0.9 * BUDGETS[what] - 1}
    assert fell == {}, "lower their budgets, so that they stay won"
    # Comments say why as often as before; here, as going through all code is slow.
    lines = sum(len(text.splitlines()) for text, _ in modules().values())
    comments = sum(
        token.type == tokenize.COMMENT
        for text, _ in modules().values()
        for token in tokenize.generate_tokens(io.StringIO(text).readline)
    )
    assert 100 * comments / lines >= LEAST_COMMENTS
