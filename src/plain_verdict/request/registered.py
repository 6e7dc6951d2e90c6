"""The choices of settings that registries give: help, docs, the JSON Schema and the checks take them from here."""

from plain_verdict.judging.measures import MEASURES
from plain_verdict.writers import layout_names


def registered_choices() -> dict[str, tuple[str, ...]]:
    """Return, by table and key of the settings, the values that a registry knows."""
    return {
        "report.layout": layout_names(),
        "condition.measure": tuple(measure.name for measure in MEASURES),
    }
