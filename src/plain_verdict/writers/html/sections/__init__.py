"""The sections of the page, in their order.

To add one: a folder with build.py, section.html.j2 and section.css; a row here.
"""

from plain_verdict.writers.html.sections.about.build import ABOUT
from plain_verdict.writers.html.sections.api.build import API
from plain_verdict.writers.html.sections.asked.build import ASKED
from plain_verdict.writers.html.sections.compliance.build import COMPLIANCE
from plain_verdict.writers.html.sections.every.build import EVERY
from plain_verdict.writers.html.sections.in_short.build import IN_SHORT
from plain_verdict.writers.html.sections.interface import PageParts, Section
from plain_verdict.writers.html.sections.load.build import LOAD
from plain_verdict.writers.html.sections.metrics.build import METRICS
from plain_verdict.writers.html.sections.other_evidence.build import OTHER_EVIDENCE
from plain_verdict.writers.html.sections.pictures.build import PICTURES
from plain_verdict.writers.html.sections.reading.build import READING
from plain_verdict.writers.html.sections.reported.build import REPORTED
from plain_verdict.writers.html.sections.since.build import SINCE
from plain_verdict.writers.html.sections.suite_list.build import SUITE_LIST
from plain_verdict.writers.html.sections.tally.build import TALLY
from plain_verdict.writers.html.sections.time.build import TIME
from plain_verdict.writers.html.sections.variants.build import VARIANTS
from plain_verdict.writers.html.sections.verdict.build import VERDICT
from plain_verdict.writers.html.sections.why.build import WHY

__all__ = ["SECTIONS", "PageParts", "Section"]

SECTIONS: tuple[Section, ...] = (
    VERDICT,
    ABOUT,
    IN_SHORT,
    TALLY,
    WHY,
    SINCE,
    API,
    LOAD,
    REPORTED,
    METRICS,
    COMPLIANCE,
    ASKED,
    EVERY,
    SUITE_LIST,
    VARIANTS,
    TIME,
    PICTURES,
    OTHER_EVIDENCE,
    READING,
)
