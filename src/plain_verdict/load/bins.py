"""Bins of times: log-linear over whole microseconds, so that a run of any length is counted in little room.

A bin is the exponent and the first bits of the mantissa of a value's double. Source: IEEE 754-2019, section 3.4
(binary64).
"""

import numpy as np
from numpy.typing import NDArray

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]

FINE_BITS, COARSE_BITS = 10, 5
"""Bits of mantissa: bins at most 0.1 % and 3.1 % wide."""
_MANTISSA = 52  # bits of a binary64 (IEEE 754-2019, table 3.5)
_UNIT = 1023  # the exponent of 1.0
LONGEST_US = 2**37 - 1
"""38 hours; longer times are none that a request takes."""


def bins_of(values_us: Ints, bits: int) -> Ints:
    """Return the bin of each time in whole microseconds; 0 and 1 share the first."""
    shifted = np.maximum(values_us, 1).astype(np.float64).view(np.int64) >> (_MANTISSA - bits)
    return shifted - (_UNIT << bits)


def metric_bins_of(values: Floats) -> Ints:
    """Return the bin of each value of any size and sign, as ``metrics.bin_of`` does."""
    bits = np.abs(values).view(np.int64) >> (_MANTISSA - FINE_BITS)
    return np.where(values < 0, -bits, bits)


def number_of_bins(bits: int) -> int:
    """Return how many bins there are up to the longest time."""
    return int(bins_of(np.array([LONGEST_US]), bits)[0]) + 1


def least_of(bins: Ints, bits: int) -> Floats:
    """Return the least time of each bin, in microseconds; that of the next bin is the end of this one."""
    return ((bins + (_UNIT << bits)) << (_MANTISSA - bits)).view(np.float64)


def middle_of(bins: Ints, bits: int, step_us: int) -> Floats:
    """Return the time that stands for each bin: its middle, or the multiple of the step that is in it.

    ``step_us`` is the greatest common divisor of all times: where only one multiple fits in a bin, it is exact.
    """
    low, high = least_of(bins, bits), least_of(bins + 1, bits)
    # Times are whole microseconds: in a bin narrower than one, the only one that is in it.
    middle = np.maximum((low + high - 1) / 2, np.ceil(low))
    if step_us > 1:
        rounded = np.round(middle / step_us) * step_us
        inside = (rounded >= low) & (rounded < high)
        # Where the middle's multiple is outside, the first one in the bin is the only candidate.
        first = np.ceil(low / step_us) * step_us
        return np.where(inside, rounded, np.where(first < high, first, middle))
    return np.maximum(middle, 0.0)
