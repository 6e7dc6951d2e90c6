"""Takes the assertions out of a graph."""

from collections.abc import Iterator
from itertools import product
from math import prod
from typing import NamedTuple

from rdflib import Graph, Literal, Namespace, URIRef
from rdflib.namespace import DC, DCTERMS, FOAF, RDF, RDFS
from rdflib.term import Node

EARL = Namespace("http://www.w3.org/ns/earl#")
_POINTERS = Namespace("http://www.w3.org/2009/pointers#")
# EARL 1.0 Schema, 2.7: an outcome is one of these, or an instance of one of the classes.
_OUTCOME_CLASSES = {
    EARL.Pass: "passed",
    EARL.Fail: "failed",
    EARL.CannotTell: "cantTell",
    EARL.NotApplicable: "inapplicable",
    EARL.NotTested: "untested",
}
_OUTCOMES_BY_GRAVITY = ("failed", "cantTell", "untested", "passed", "inapplicable")
_MOST_PARTS = 20  # of a pointer to an element
_MOST_OF_A_VALUE = 1_000
"""Things that one assertion may say: tests, subjects and results multiply."""


class TooManyError(ValueError):
    """An assertion says more than any means."""


class Assertion(NamedTuple):
    """What somebody asserts: a test, its subject, and what came of it."""

    test: str
    test_title: str
    about: str
    rule_set: str
    subject: str
    outcome: str
    is_literal: bool
    """Whether the outcome is a text, where it must be a resource."""
    info: str
    pointer: str
    by: str
    mode: str
    at: str


def assertions_in(graph: Graph) -> Iterator[Assertion]:
    """Yield the assertions of a graph, in an order that is the same each time."""
    # Some leave the type out; what has a result is one all the same.
    nodes = {*graph.subjects(RDF.type, EARL.Assertion), *graph.subjects(EARL.result)}
    yield from sorted(assertion for node in nodes for assertion in _assertions(graph, node))


def _assertions(graph: Graph, node: Node) -> Iterator[Assertion]:
    """Yield what a node asserts: one thing (EARL 1.0 Schema, 2.2), but where it says more, none of it is lost.

    Raises TooManyError.
    """
    parts = tuple(_all(graph, node, name) for name in (EARL.test, EARL.subject, EARL.result))
    if prod(map(len, parts)) > _MOST_OF_A_VALUE:
        tests, subjects, results = (f"{len(part):,}" for part in parts)
        raise TooManyError(f"one assertion names {tests} tests, {subjects} subjects and {results} results")
    for test, subject, result in product(*parts):
        for outcome in _all(graph, result, EARL.outcome):
            yield _assertion(graph, node, test, subject, result, outcome)


def _all(graph: Graph, node: Node | None, name: URIRef) -> list[Node | None]:
    return list(graph.objects(node, name) if node is not None else ()) or [None]


def _text(node: Node | None) -> str:
    return str(node or "")


def _literal(node: Node | None) -> str:
    return str(node) if isinstance(node, Literal) else ""


def _address(node: Node | None) -> str:
    return str(node) if isinstance(node, URIRef) else ""


def _assertion(
    graph: Graph, node: Node, test: Node | None, subject: Node | None, result: Node | None, outcome: Node | None
) -> Assertion:
    part_of = graph.value(test, DCTERMS.isPartOf) if test is not None else None
    by = graph.value(node, EARL.assertedBy)
    return Assertion(
        test=_address(test),
        test_title=_title(graph, test) or _literal(test),
        about=_words(graph, test, DCTERMS.description),
        rule_set=_title(graph, part_of) or _address(part_of),
        subject=_title(graph, subject) or _text(subject),
        outcome=_outcome(graph, outcome),
        is_literal=isinstance(outcome, Literal),
        info=_words(graph, result, EARL.info) or _words(graph, result, DCTERMS.description),
        pointer="; ".join(_pointers(graph, result)),
        by=_title(graph, by) or _address(by) or _literal(by),
        mode=_text(graph.value(node, EARL.mode)).rpartition("#")[2],
        at=_text(graph.value(result, DCTERMS.date)) or _text(graph.value(node, DCTERMS.date)),
    )


def _outcome(graph: Graph, outcome: Node | None) -> str:
    """Return the vocabulary's word for an outcome, the gravest of several; or else what stands there."""
    if outcome is None:
        return ""
    outcomes = {
        _OUTCOME_CLASSES[URIRef(str(kind))] for kind in graph.objects(outcome, RDF.type) if kind in _OUTCOME_CLASSES
    }
    text = str(outcome).strip()
    word = text.removeprefix(str(EARL)).removeprefix("earl:")
    if not outcomes or word in _OUTCOMES_BY_GRAVITY:
        outcomes.add(word)
    return next((known for known in _OUTCOMES_BY_GRAVITY if known in outcomes), word)


def _title(graph: Graph, node: Node | None) -> str:
    """Return what something is called, in English where it has that."""
    if node is None or isinstance(node, Literal):
        return str(node or "")
    for name in (DCTERMS.title, DC.title, RDFS.label, FOAF.name):
        text = _words(graph, node, name)
        if text:
            return text
    return ""


def _words(graph: Graph, node: Node | None, name: URIRef) -> str:
    if node is None:
        return ""
    texts = [literal for literal in graph.objects(node, name) if isinstance(literal, Literal)]
    texts.sort(key=lambda literal: (not (literal.language or "en").startswith("en"), str(literal)))
    return str(texts[0]) if texts else ""


def _pointers(graph: Graph, result: Node | None) -> Iterator[str]:
    """Yield where in the subject it was found: an expression, a line, or whatever else points (Pointer Methods)."""
    if result is None:
        return
    for pointer in sorted(graph.objects(result, EARL.pointer), key=str)[:_MOST_PARTS]:
        if isinstance(pointer, Literal):
            yield str(pointer)
            continue
        pointers = [
            str(node)
            for name in (_POINTERS.expression, _POINTERS.lineNumber)
            for node in graph.objects(pointer, name)
        ]
        if pointers:
            yield ", ".join(sorted(pointers))
        elif isinstance(pointer, URIRef):
            yield str(pointer)
