"""Reads JUnit XML.

There is no standard; this reads what runners write: suites nested or not, counts that disagree with the content,
reruns, cases written twice, nameless cases, files truncated in the middle. The content counts, the announcements
are compared with it.
"""

from collections.abc import Callable

from plain_verdict.inputs.source import Source
from plain_verdict.model import Kind, ResultFile, earliest, latest
from plain_verdict.readers.interface import Head
from plain_verdict.readers.junit.notes import notes_on
from plain_verdict.readers.junit.tags import SUITE, SUITES
from plain_verdict.readers.junit.tree import walk_damaged, walk_whole
from plain_verdict.readers.junit.walk import JunitWalk
from plain_verdict.readers.xml.events import XmlFile
from plain_verdict.settings.limits import Limits


class JunitReader:
    """Reads JUnit XML, whatever runner wrote it."""

    format = "junit-xml"
    roots = frozenset({SUITES, SUITE})

    def recognises(self, head: Head) -> bool:
        """Return whether the root element is one of JUnit's."""
        return head.xml.root.lower() in self.roots

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return the file's checks, with a note on everything odd about it."""
        file, read = read_by(walk_whole, source, limits)
        return read if file.whole and not file.fault else read_by(walk_damaged, source, limits)[1]


def read_by(
    way: Callable[[XmlFile, JunitWalk], None], source: Source, limits: Limits
) -> tuple[XmlFile, ResultFile]:
    """Return what a way of walking through a file finds in it; of a file that is whole they find the same."""
    walk = JunitWalk(limits, source.kind or Kind.FUNCTIONAL)
    with source.open() as stream:
        file = XmlFile(stream)
        way(file, walk)
    notes = notes_on(source.path, walk, file, [suite.element for suite in walk.open])
    while walk.open:
        walk.end_suite(whole=False)
    read = ResultFile(
        checks=walk.disambiguate(),
        suites=tuple(walk.suites),
        notes=notes,
        started=earliest(walk.starts),
        ended=latest(walk.ends),
        title=walk.title,
        cases=walk.cases_read,
        reruns=tuple(walk.reruns),
    )
    return file, read
