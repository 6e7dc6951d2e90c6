"""How grave a rule is, in the words and on the scale that producers share."""

from plain_verdict.model import Severity
from plain_verdict.text.numbers import read_decimal

# Source of the bands: CVSS 3.1, section 5 (qualitative severity rating scale), as producers use them here.
_BANDS = ((9.0, Severity.CRITICAL), (7.0, Severity.HIGH), (4.0, Severity.MEDIUM), (0.1, Severity.LOW))
_MOST_SCORE = 10.0
_SEVERITY_WORDS = {  # in the languages of outcome words
    Severity.NONE: "none info information informational",
    Severity.LOW: "low very-low minor note notice trivial negligible hint "
    "niedrig gering lav låg laag faible bajo basso niski",
    Severity.MEDIUM: "medium moderate warning warn normal mittel middels medel gemiddeld moyen medio średni",
    Severity.HIGH: "high serious major error important hoch høy hög hoog élevé alto wysoki",
    Severity.CRITICAL: "critical very-high severe blocker fatal urgent "
    "kritisch kritisk critique crítico critico krytyczny",
}
_SEVERITIES = {word: severity for severity, words in _SEVERITY_WORDS.items() for word in words.split()}


def severity_of_score(text: str) -> Severity | None:
    """Return how grave a score from 0 to 10 is; None for what is no such score."""
    score = read_decimal(text)
    if score is None or not 0 <= score <= _MOST_SCORE:
        return None
    return next((severity for least, severity in _BANDS if score >= least), Severity.NONE)


def severity_in(text: str) -> Severity | None:
    """Return what a word or a score means; None where nobody can tell."""
    return _SEVERITIES.get("-".join(text.casefold().split())) or severity_of_score(text)
