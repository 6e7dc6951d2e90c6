"""Hides secrets in everything that leaves the tool, and says how many."""

from plain_verdict.masking.known import KnownValue
from plain_verdict.masking.mask import Masker, MaskRules, mask_run
from plain_verdict.masking.variables import secrets_of_environment

__all__ = ["KnownValue", "MaskRules", "Masker", "mask_run", "secrets_of_environment"]
