"""Reads files of any form by shapes, the team's own descriptions of them (docs/shapes.md)."""
