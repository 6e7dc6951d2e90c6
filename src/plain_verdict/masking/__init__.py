"""Hides secrets in everything that leaves the tool, and says how many."""

from plain_verdict.masking.mask import Masker, MaskRules, mask_run

__all__ = ["MaskRules", "Masker", "mask_run"]
