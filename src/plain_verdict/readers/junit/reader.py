"""Reads JUnit XML.

There is no standard; this reads what runners write: suites nested or not, counts that disagree with the content,
reruns, cases written twice, nameless cases, files cut off in the middle. The content counts, the announcements
are compared with it.
"""

from plain_verdict.inputs.source import Source
from plain_verdict.model import Kind, ResultFile, in_order
from plain_verdict.readers.interface import Head
from plain_verdict.readers.junit.case import local_name
from plain_verdict.readers.junit.notes import notes_on
from plain_verdict.readers.junit.tags import CASE, SUITE, SUITES, TAGS
from plain_verdict.readers.junit.walk import JunitWalk
from plain_verdict.readers.xml.events import XmlEvents
from plain_verdict.settings.limits import Limits


class JunitReader:
    """Reads JUnit XML, whatever runner wrote it."""

    format = "junit-xml"
    told_by = "JUnit XML, which begins with <testsuites> or <testsuite>"
    roots = frozenset({SUITES, SUITE})

    def recognises(self, head: Head) -> bool:
        """Return whether the root element is one of JUnit's."""
        return head.xml.root.lower() in self.roots

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return the file's checks, with a note on everything odd about it."""
        walk = JunitWalk(limits, source.kind or Kind.FUNCTIONAL)
        with source.open() as stream:
            events = XmlEvents(stream, TAGS)
            for event, element in events:
                is_case = local_name(element) == CASE
                if event == "start":
                    if not is_case:
                        walk.start_suite(element)
                elif is_case:
                    walk.case(element)
                else:
                    walk.end_suite()
        promised = [suite.element for suite in walk.open]
        notes = notes_on(source.path, walk, events, promised)
        while walk.open:
            walk.end_suite(whole=False)
        return ResultFile(
            checks=walk.set_apart(),
            suites=tuple(walk.suites),
            notes=notes,
            started=min(walk.starts, key=in_order, default=None),
            ended=max(walk.ends, key=in_order, default=None),
            title=walk.title,
            cases=walk.cases_read,
            reruns=tuple(walk.reruns),
        )
