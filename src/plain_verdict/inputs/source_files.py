"""Finds the source file of a check in a repository: by its location, its class or package, or its stack."""

import os
from collections.abc import Iterator, Mapping, Sequence
from functools import lru_cache
from itertools import takewhile
from pathlib import Path, PurePosixPath

from plain_verdict.model import Check, Problem, failing_steps
from plain_verdict.text.patterns import pattern

_MOST_SOURCE_FILES = 100_000
_NOT_SOURCES = frozenset(["node_modules", "__pycache__", "target", "dist", "venv"])
_SUFFIXES = frozenset(
    (
        *(".py", ".js", ".mjs", ".cjs", ".jsx", ".ts", ".mts", ".tsx", ".vue", ".svelte", ".java", ".kt", ".kts"),
        *(".scala", ".groovy", ".rb", ".php", ".go", ".rs", ".cs", ".fs", ".vb", ".c", ".cc", ".cpp", ".h", ".hpp"),
        *(".swift", ".m", ".dart", ".ex", ".exs", ".erl", ".pl", ".pm", ".t", ".lua", ".sh", ".bats", ".feature"),
        *(".r", ".jl", ".clj", ".hs", ".ml"),
    )
)
"""Files that checks are written in."""
_PATHS = pattern(r"[\w@.+/\\-]+")
_MOST_PATH_CHARS, _MOST_STACK_CHARS = 400, 40_000
_PATH_SEPARATORS = pattern(r"[.:/\\]+")
_DOTTED = pattern(r"[\w$]+(?:[.:/\\]+[\w$]+)*")


class SourceFiles:
    """The source files of a repository, by their paths from its root."""

    def __init__(self, root: Path) -> None:
        self._root = root.as_posix().rstrip("/") + "/"
        self._files = frozenset(_files_below(root))
        self._by_name: dict[str, list[str]] = {}
        self._by_stem: dict[str, list[str]] = {}
        self._by_folder: dict[str, dict[str, str]] = {}
        for file in sorted(self._files):
            path = PurePosixPath(file)
            self._by_name.setdefault(path.name, []).append(file)
            if path.suffix.casefold() in _SUFFIXES:
                self._by_stem.setdefault(path.stem.casefold(), []).append(file)
                self._by_folder.setdefault(path.parent.name.casefold(), {}).setdefault(str(path.parent), file)
        self._of_class = lru_cache(maxsize=100_000)(self._file_of_class)
        self.file_at = lru_cache(maxsize=100_000)(self._file_at)

    def file_of(self, check: Check) -> str:
        """Return the file that a check is written in; "" where nothing names one that is there."""
        location = self.file_at(check.location.file) if check.location else ""
        of_class = next(filter(None, map(self._of_class, reversed(check.suite))), "")
        return location or of_class or next(self.files_in_stack(check), "")

    def files_in_stack(self, check: Check) -> Iterator[str]:
        """Yield the files of the repository that the stack of a failure names, each once."""
        seen = set()
        for problem in _problems(check):
            for path in _PATHS.findall(f"{problem.detail}\n{problem.place}"[:_MOST_STACK_CHARS]):
                file = self.file_at(path) if "." in path and len(path) <= _MOST_PATH_CHARS else ""
                if file and file not in seen:
                    seen.add(file)
                    yield file

    def _file_at(self, path: str) -> str:
        """Return a file by a path that may begin elsewhere: on the machine that ran the check, in its folder."""
        plain = path.strip().replace("\\", "/").removeprefix(self._root).removeprefix("./").rstrip(".")
        if plain in self._files:
            return plain
        # Results come from another machine, in whose folder the repository was.
        parts = [part for part in plain.split("/") if part not in ("", ".", "..")]
        files = self._by_name.get(parts[-1], ()) if parts else ()
        return _best_of({file: _shared_end(file.split("/"), parts) for file in files}, min(2, len(parts)))

    def _file_of_class(self, name: str) -> str:
        """Return a file by the name of a module, a package, a class or a method, as languages spell them."""
        if not _DOTTED.fullmatch(name):
            return ""
        parts = [part.partition("$")[0].casefold() for part in _PATH_SEPARATORS.split(name)]
        ends = (self._file_of_parts(parts[:end]) for end in range(len(parts), 0, -1))
        return next(filter(None, ends), "") or self._file_in_folder(name.casefold().split("/"))

    def _file_of_parts(self, parts: Sequence[str]) -> str:
        candidates = {
            file: file.casefold().rpartition(".")[0].split("/") for file in self._by_stem.get(parts[-1], ())
        }
        scores = {file: _shared_end(path, parts) for file, path in candidates.items()}
        return _best_of(scores, min(2, len(parts)))

    def _file_in_folder(self, parts: Sequence[str]) -> str:
        """Return a file of a package that is a folder, named with what stands before the repository's own path."""
        folders = self._by_folder.get(parts[-1], {}) if len(parts) > 1 else {}
        scores = {folder: _shared_end(folder.casefold().split("/"), parts) for folder in folders}
        whole = {folder: score for folder, score in scores.items() if score == folder.count("/") + 1}
        return folders.get(_best_of(whole, 1), "")


def _best_of(scores: Mapping[str, int], least: int) -> str:
    """Return what fits best; "" where two fit alike or less than ``least`` does, so that nothing is guessed.

    A library has a ``case.py`` as well: of a path with several parts one is not enough.
    """
    best = max(scores.values(), default=0)
    fitting = [name for name, score in scores.items() if score == best]
    return fitting[0] if len(fitting) == 1 and best >= least else ""


def _shared_end(parts: Sequence[str], others: Sequence[str]) -> int:
    """Return how many parts two paths have in common, from the end."""
    pairs = zip(reversed(parts), reversed(others), strict=False)
    return sum(1 for _ in takewhile(lambda pair: pair[0] == pair[1], pairs))


def _problems(check: Check) -> Iterator[Problem]:
    yield from check.last.problems
    for step in failing_steps(check.last):
        yield from step.problems


def _files_below(root: Path) -> Iterator[str]:
    """Yield the files of a folder, links not followed, without hidden folders and those of tools."""
    number = 0
    for folder, folders, files in os.walk(root):
        folders[:] = sorted(name for name in folders if name[0] != "." and name not in _NOT_SOURCES)
        way = Path(folder).relative_to(root).as_posix()
        # A folder of millions of files is no repository that somebody works in.
        for name in files:
            number += 1
            if number > _MOST_SOURCE_FILES:
                return
            yield name if way == "." else f"{way}/{name}"
