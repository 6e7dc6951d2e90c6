"""Elements and attributes of JUnit XML, which runners spell in small and capital letters."""

from collections.abc import Mapping

CASE, SUITE, SUITES = "testcase", "testsuite", "testsuites"
TAGS = tuple(
    spelled
    for lower, camel in ((SUITES, "testSuites"), (SUITE, "testSuite"), (CASE, "testCase"))
    for spelled in (lower, camel, camel[0].upper() + camel[1:], lower.capitalize(), lower.upper())
)
"""As runners spell them; the parser tells tags apart by their letters' case."""
KNOWN_ATTRIBUTES = frozenset(
    (
        "name",
        "classname",
        "time",
        "status",
        "result",
        "timestamp",
        "file",
        "line",
        "assertions",
        "id",
        "class",
        "outcome",
        "success",
        "passed",
        "failed",
        "failure",
        "failures",
        "error",
        "errors",
        "errored",
    )
)


def with_known_names(attributes: Mapping[str, str]) -> Mapping[str, str]:
    """Return attributes under the names that are known, however they are written."""
    if attributes.keys() <= KNOWN_ATTRIBUTES:
        return attributes
    names = ((key.rpartition("}")[2].lower(), key, value) for key, value in attributes.items())
    return {name if name in KNOWN_ATTRIBUTES else key: value for name, key, value in names}
