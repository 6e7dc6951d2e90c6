"""Gives all checks an id that is the same in every run: a hash of what it is, not of where it stands."""

from functools import lru_cache
from hashlib import blake2b

from plain_verdict.model import Check, Fact, Kind


def check_id(kind: Kind, suite: tuple[str, ...], name: str, parameters: tuple[Fact, ...] = ()) -> str:
    """Return the check's stable id: the same in every run, wherever and whenever the check stands in it."""
    return id_within(suite_digest(kind, suite), name, parameters)


def id_within(of_suite: blake2b, name: str, parameters: tuple[Fact, ...] = ()) -> str:
    """Return the stable id of a check in the suite that the digest is of."""
    digest = of_suite.copy()
    rest = name
    for parameter in parameters:
        rest += f"\x1f{parameter.key}\x1f{parameter.value}"
    digest.update(rest.encode("utf-8", "surrogatepass"))
    return "c-" + digest.hexdigest()


@lru_cache(256)
def suite_digest(kind: Kind, suite: tuple[str, ...]) -> blake2b:
    """Return the hash of what a suite's ids have in common."""
    return blake2b("\x1f".join((kind, *suite, "", "")).encode("utf-8", "surrogatepass"), digest_size=6)


def distinct_id(check: Check, disambiguator: str) -> str:
    """Return an id for a check that shares its own with others, distinguished by where its results come from."""
    return f"{check.id}-{blake2b(disambiguator.encode('utf-8', 'surrogatepass'), digest_size=3).hexdigest()}"
