"""Elements and attributes of JUnit XML, in the spellings that runners have for them."""

CASE, SUITE, SUITES = "testcase", "testsuite", "testsuites"
# As runners spell them; the parser tells tags apart by their letters' case.
TAGS = tuple(
    spelled
    for lower, camel in ((SUITES, "testSuites"), (SUITE, "testSuite"), (CASE, "testCase"))
    for spelled in (lower, camel, camel[0].upper() + camel[1:], lower.capitalize(), lower.upper())
)
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
        "failure",
        "id",
        "class",
    )
)


def with_known_names(attributes: dict[str, str]) -> dict[str, str]:
    """Return attributes under the names that are known, however they are written."""
    if attributes.keys() <= KNOWN_ATTRIBUTES:
        return attributes
    return {key.lower() if key.lower() in KNOWN_ATTRIBUTES else key: value for key, value in attributes.items()}
