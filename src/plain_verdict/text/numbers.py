"""Reads numbers as people and programs write them."""

import re

_GAPS = re.compile(r"[\s'\u00a0\u202f]")
_DIGITS = re.compile(r"[+-]?[\d.,'\s\u00a0\u202f]*\d(?:[eE][+-]?\d{1,3})?")
_LONGEST = 40


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
