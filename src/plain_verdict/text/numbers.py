"""Reads numbers as people and programs write them."""

import re

from plain_verdict.text.patterns import pattern

_GAPS = pattern(r"[\s'\u00a0\u202f]")
_DIGITS = pattern(r"[+-]?[\d.,'\s\u00a0\u202f]*\d(?:[eE][+-]?\d{1,3})?")
_LONGEST = 40


_DECIMAL = pattern(r"[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d{1,3})?", re.ASCII)


def read_decimal(text: str) -> float | None:
    """Return a number as standards write it, or None: without separators and with a decimal point.

    Source: XML Schema Part 2, sections 3.2.3 (decimal) and 3.2.5 (double); RFC 8259, section 6.
    """
    return float(text) if len(text) <= _LONGEST and _DECIMAL.fullmatch(text.strip()) else None


def read_number(text: str, decimal: str = "") -> float | None:
    """Return a number with thousands separators and decimal comma or point, or None where the text is none.

    ``decimal`` says what stands before decimals. Else the last separator does, unless it stands more than once; a
    single comma is decimal, as runners write three decimals more often than thousands.
    """
    if decimal != ",":
        try:
            return float(text)
        except ValueError:
            pass
    text = text.strip()
    if len(text) > _LONGEST or not _DIGITS.fullmatch(text):
        return None
    digits = _GAPS.sub("", text)
    if decimal:
        digits = digits.replace("." if decimal == "," else ",", "").replace(decimal, ".")
    else:
        at = max(digits.rfind("."), digits.rfind(","))
        if at >= 0 and digits.count(digits[at]) == 1:
            digits = re.sub(r"[.,]", "", digits[:at]) + "." + digits[at + 1 :]
        else:
            digits = re.sub(r"[.,]", "", digits)
    try:
        return float(digits)
    except ValueError:
        return None
