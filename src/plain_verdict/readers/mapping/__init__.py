"""Reads files of any form by mappings, the team's own descriptions of them (docs/mappings.md)."""
