"""A JSON object as texts by name; values in objects in it are named by their way, like ``timings.total``."""

_DEEPEST = 4


def flat(value: dict[str, object], before: str = "", depth: int = 0) -> dict[str, str]:
    """Return the values of an object as texts; lists, and what nests too deep, are left out."""
    found: dict[str, str] = {}
    for key, own in value.items():
        if type(own) is dict:
            if depth < _DEEPEST:
                found |= flat(own, f"{before}{key}.", depth + 1)
        elif own is True or own is False:
            found[before + key] = "true" if own else "false"
        elif own is not None and type(own) is not list:
            found[before + key] = own if type(own) is str else repr(own)
    return found
