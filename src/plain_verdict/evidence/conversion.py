"""Makes contents, each distinct one once, over several processes where there are enough of them."""

import os
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from hashlib import blake2b
from pathlib import Path

from plain_verdict.evidence.contents import Task, make_content
from plain_verdict.inputs.progress import OnProgress
from plain_verdict.model import Content
from plain_verdict.runtime.executors import Engine
from plain_verdict.runtime.processes import can_start_helpers, helpers_wanted

_ALONE = 4
"""Up to so many are made in this process: starting others takes longer."""
_READ_BYTES = 1 << 20  # at a time: a file may be larger than memory


def make_all(tasks: Mapping[str, Task], on_progress: OnProgress) -> dict[str, Content | str]:
    """Return, for each source, its content or why there is none. The same whatever the timing."""
    first = _first_of_each(tasks)
    sources = sorted(set(first.values()))
    made: dict[str, Content | str] = {}
    for source, content in zip(sources, run_tasks([tasks[source] for source in sources]), strict=True):
        made[source] = content
        on_progress(len(made), len(sources))
    return {source: made[first[source]] for source in tasks}


def run_tasks(tasks: Sequence[Task]) -> Iterator[Content | str]:
    """Yield each task's result, in the order of the tasks."""
    if len(tasks) <= _ALONE or not can_start_helpers():
        yield from map(make_content, tasks)
        return
    with Engine(processes=helpers_wanted()) as engine:
        yield from engine.each(make_content, tasks)


def _first_of_each(tasks: Mapping[str, Task]) -> dict[str, str]:
    """Return, for each source, the first source with the same bytes; only those of one size are compared."""
    sizes: dict[int, list[str]] = defaultdict(list)
    for source, task in tasks.items():
        sizes[_size(task)].append(source)
    first: dict[str, str] = {}
    for size_bytes, same in sizes.items():
        digests: dict[bytes, str] = {}
        for source in sorted(same):
            # What is over every limit is refused by its size alone.
            alone = len(same) == 1 or size_bytes > _most(tasks[source])
            first[source] = source if alone else digests.setdefault(_digest(tasks[source]), source)
    return first


def _size(task: Task) -> int:
    if task.compared_with:
        return -1  # what is drawn is like no file
    try:
        return Path(task.file).stat().st_size if task.file else len(task.data)
    except OSError:
        return 0  # making its content says what is wrong


def _most(task: Task) -> int:
    return max(task.limits.picture_bytes, task.limits.evidence_bytes)


def _digest(task: Task) -> bytes:
    digest = blake2b(_digest(task.compared_with) if task.compared_with else b"", digest_size=16)
    digest.update(task.data)
    if task.file:
        try:
            with Path(task.file).open("rb") as file:
                while chunk := file.read(_READ_BYTES):
                    digest.update(chunk)
        except OSError:
            return os.fsencode(task.file)  # making its content says what is wrong
    return digest.digest()
