"""Every table, in the order in which outputs have them."""

from plain_verdict.writers.tables import api, checks, compliance, history, load, run

TABLES = (
    *run.TABLES[:4],
    *checks.TABLES,
    *run.TABLES[4:],
    *api.TABLES,
    *load.TABLES,
    *compliance.TABLES,
    *history.TABLES,
)
