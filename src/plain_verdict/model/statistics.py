"""The statistics that history and load runs share: the interval of a share, and Student's distribution.

Nothing is imported that a small report would wait for: SciPy is, where a load run is long enough for an interval.
"""

import math
from typing import Any

CONFIDENCE = 0.95  # of all intervals on the page
Z = 1.959963984540054
"""The 97.5 % quantile of the normal distribution: 95 % lie within it on both sides."""


def wilson_interval(part: int, whole: int, effect: float = 1.0) -> tuple[float, float]:
    """Return between which shares (0 to 1) the true one lies with 95 % confidence; 0 to 1 of nothing.

    ``effect`` is the design effect: how many of ``whole`` count as one, as they are not independent.
    Source: Wilson 1927, JASA 22(158), with n / effect (Kish 1965, Survey Sampling, section 8.2).
    """
    if not whole:
        return 0.0, 1.0
    n, share = whole / effect, part / whole
    middle = (share + Z**2 / (2 * n)) / (1 + Z**2 / n)
    reach = Z / (1 + Z**2 / n) * math.sqrt(share * (1 - share) / n + Z**2 / (4 * n**2))
    return max(0.0, middle - reach), min(1.0, middle + reach)


def student_tail(t: float, freedom: int) -> float:
    """Return the probability of more than ``t``, 0 or more, in Student's distribution.

    Source: Abramowitz & Stegun 1964, 26.7.3 and 26.7.4; far out, where their difference from 1 is lost, the leading
    term of its density's integral.
    """
    if t * t > 1e4 * freedom:
        log_density = math.lgamma((freedom + 1) / 2) - math.lgamma(freedom / 2) - math.log(math.pi * freedom) / 2
        log_tail = log_density + (freedom - 1) / 2 * math.log(freedom) - freedom * math.log(t)
        return math.exp(log_tail)
    angle = math.atan2(t, math.sqrt(freedom))
    cosine, sine = math.cos(angle), math.sin(angle)
    if freedom % 2:
        term = total = cosine if freedom > 1 else 0.0
        for k in range(3, freedom - 1, 2):
            term *= (k - 1) / k * cosine * cosine
            total += term
        inside = (angle + sine * total) * 2 / math.pi
    else:
        term = total = 1.0
        for k in range(2, freedom - 1, 2):
            term *= (k - 1) / k * cosine * cosine
            total += term
        inside = sine * total
    return max(0.0, (1 - inside) / 2)


def student_reach(freedom: float) -> float:
    """Return the 97.5 % quantile of Student's distribution with 3 degrees of freedom or more, without a library.

    Source: Abramowitz & Stegun 1964, 26.7.5; by less than 1 % too small for 3.
    """
    terms = (
        (Z**3 + Z) / 4,
        (5 * Z**5 + 16 * Z**3 + 3 * Z) / 96,
        (3 * Z**7 + 19 * Z**5 + 17 * Z**3 - 15 * Z) / 384,
    )
    return Z + sum(term / freedom**power for power, term in enumerate(terms, 1))


def t_quantile(degrees: float) -> float:
    """Return the 97.5 % quantile of Student's t distribution."""
    return float(_special().stdtrit(degrees, (1 + CONFIDENCE) / 2))


def two_sided_p(value: float, degrees: float) -> float:
    """Return how likely a value of Student's t distribution is, so far from 0 or farther."""
    return float(2 * _special().stdtr(degrees, -abs(value)))


def _special() -> Any:  # its functions have no types
    from scipy import special  # a large library, for runs long enough for an interval

    return special
