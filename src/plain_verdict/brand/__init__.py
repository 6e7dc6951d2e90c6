"""The house's own: logo, accent colour, words, stylesheet; read and made fit before any other work is done."""

from plain_verdict.brand.brand import Brand
from plain_verdict.brand.prepare import read_brand

__all__ = ["Brand", "read_brand"]
