"""Makes JSON-LD fit to be read without a network: contexts that stand elsewhere are never fetched."""

_EARL, _DCT = "http://www.w3.org/ns/earl#", "http://purl.org/dc/terms/"
# The terms of the vocabulary, as those who leave its namespace out mean them.
_RESOURCES = ("outcome", "mode", "test", "subject", "assertedBy", "mainAssertor")
_TERMS = (
    "Assertion",
    "Assertor",
    "TestResult",
    "TestCase",
    "TestCriterion",
    "TestSubject",
    "result",
    "info",
    "pointer",
)
_OUTCOMES = ("passed", "failed", "cantTell", "inapplicable", "untested")
BUILT_IN: dict[str, object] = {
    "earl": _EARL,
    "dct": _DCT,
    "dcterms": _DCT,
    "ptr": "http://www.w3.org/2009/pointers#",
    "foaf": "http://xmlns.com/foaf/0.1/",
    **{name: f"{_EARL}{name}" for name in (*_TERMS, *_OUTCOMES)},
    **{
        name: {"@id": f"{_EARL}{name}", "@type": "@vocab" if name in ("outcome", "mode") else "@id"}
        for name in _RESOURCES
    },
    "title": f"{_DCT}title",
    "description": f"{_DCT}description",
    "date": f"{_DCT}date",
    "isPartOf": {"@id": f"{_DCT}isPartOf", "@type": "@id"},
}
_DEEPEST_CONTEXT = 200  # contexts in contexts: the library would run out of stack


def without_remote(value: object, unknown: set[str], depth: int = 0) -> object:
    """Return JSON-LD with the contexts that it names by an address replaced: ours, or nothing.

    Addresses of contexts that are not the vocabulary's are put into ``unknown``. Raises ValueError for nesting
    without end.
    """
    if depth > _DEEPEST_CONTEXT:
        raise ValueError("it nests too deep")
    if isinstance(value, list):
        return [without_remote(context, unknown, depth + 1) for context in value]
    if not isinstance(value, dict):
        return value
    made: dict[str, object] = {}
    for key, member in value.items():
        if key == "@context":
            contexts = member if isinstance(member, list) else [member]
            made[key] = [_context(context, unknown) for context in contexts]
        else:
            made[key] = without_remote(member, unknown, depth + 1)
    return made


def _context(context: object, unknown: set[str]) -> object:
    if isinstance(context, str):
        if "ns/earl" not in context and "earl" not in context.rpartition("/")[2].lower():
            unknown.add(context)
        return BUILT_IN
    if isinstance(context, dict):
        if "@import" in context:
            unknown.add(str(context["@import"]))
        # A term may have its own context.
        return without_remote({key: member for key, member in context.items() if key != "@import"}, unknown)
    return context
