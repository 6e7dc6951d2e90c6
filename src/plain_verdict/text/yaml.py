"""Reads YAML as plain values; what could grow without end is refused."""

from collections.abc import Iterator

import yaml

_MOST_REPEATED = 100_000
"""Nodes that aliases, or pairs that merge keys, may repeat: aliases of aliases multiply."""
_ENDLESS = "its aliases grow without end"


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
        if self._merged > _MOST_REPEATED:
            raise yaml.YAMLError(_ENDLESS)

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
        node = loader.get_single_node()
        value = None if node is None else loader.construct_document(_finite(node))
    except (yaml.YAMLError, RecursionError, ValueError, TypeError) as error:
        raise ValueError(" ".join(str(error).split())) from error
    finally:
        loader.dispose()
    twice += loader.twice
    return value


def _finite(root: yaml.Node) -> yaml.Node:
    """Return the node, unless its aliases repeat too much. Raises YAMLError."""
    sizes: dict[int, int] = {}
    waiting: list[tuple[yaml.Node, bool]] = [(root, False)]
    open_: set[int] = set()
    while waiting:
        node, is_done = waiting.pop()
        inner = list(_inner(node))
        if is_done:
            open_.discard(id(node))
            sizes[id(node)] = 1 + sum(sizes[id(part)] for part in inner)
        elif id(node) in open_:
            raise yaml.YAMLError(_ENDLESS)
        elif id(node) not in sizes:
            open_.add(id(node))
            waiting.append((node, True))
            waiting += [(part, False) for part in inner]
    if sizes[id(root)] - len(sizes) > _MOST_REPEATED:
        raise yaml.YAMLError(_ENDLESS)
    return root


def _inner(node: yaml.Node) -> Iterator[yaml.Node]:
    if isinstance(node, yaml.SequenceNode):
        yield from node.value
    elif isinstance(node, yaml.MappingNode):
        for pair in node.value:
            yield from pair
