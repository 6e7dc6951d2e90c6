"""Judges a run: plain functions from the model to a verdict, without any file."""

from plain_verdict.judging.verdict import judge

__all__ = ["judge"]
