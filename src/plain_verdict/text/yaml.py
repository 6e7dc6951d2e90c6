"""Reads YAML as plain values; what could grow without end is refused."""

import yaml

_MOST_MERGED = 100_000
"""Pairs that merge keys may bring in: aliases of aliases multiply."""


class _Loader(yaml.CSafeLoader):
    """Safe values only, with a note of keys that stand twice."""

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self.twice: list[str] = []
        self._merged = 0

    def flatten_mapping(self, node: yaml.MappingNode) -> None:
        """Bring in what merge keys name. Raises YAMLError where that grows too large."""
        super().flatten_mapping(node)
        self._merged += len(node.value)
        if self._merged > _MOST_MERGED:
            raise yaml.YAMLError("its aliases grow without end")

    def construct_mapping(self, node: yaml.MappingNode, deep: bool = False) -> dict[object, object]:  # noqa: FBT001, FBT002  as it is there
        """Return a mapping, and note the keys that it has twice."""
        names = [key.value for key, _ in node.value if isinstance(key, yaml.ScalarNode) and key.value != "<<"]
        if len(set(names)) != len(names):
            self.twice += {name for name in names if names.count(name) > 1}
        return super().construct_mapping(node, deep)


def read_yaml(text: str, twice: list[str]) -> object:
    """Return the one document of a text; keys that stand twice are added to ``twice``. Raises ValueError."""
    loader = _Loader(text)
    try:
        value = loader.get_single_data()
    except (yaml.YAMLError, RecursionError, ValueError, TypeError) as error:
        raise ValueError(" ".join(str(error).split())) from error
    finally:
        loader.dispose()
    twice += loader.twice
    return value
