"""What the command line says. None and nothing mean that the settings hold."""

from collections.abc import Mapping

import msgspec


class Overrides(msgspec.Struct, frozen=True):
    """Options that are no keys of the settings, each under its name, and ``settings``: those that set a key.

    ``settings`` are values by table and key: ``{"report": {"theme": "dark"}}``. They are declared with their keys
    (``settings/options.py``).
    """

    results: tuple[str, ...] = ()
    retry: tuple[tuple[str, ...], ...] = ()
    config: str | None = None
    rules: str | None = None
    trust_settings: bool = False
    mapping: tuple[str, ...] = ()
    build: str | None = None
    masking: bool | None = None
    mask_values: tuple[str, ...] = ()
    publish: tuple[str, ...] = ()
    fact: tuple[str, ...] = ()
    watch: bool = False
    extensions: bool = True
    settings: Mapping[str, Mapping[str, object]] = {}

    def given(self, table: str, key: str) -> object | None:
        """Return what the command line gives for a key of the settings; None where it gives nothing."""
        return self.settings.get(table, {}).get(key)
