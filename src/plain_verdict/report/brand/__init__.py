"""The house's own: logo, accent colour, words, stylesheet; read and made fit before any other work is done."""

from plain_verdict.report.brand.brand import Brand
from plain_verdict.report.brand.prepare import read_brand

__all__ = ["Brand", "read_brand"]
