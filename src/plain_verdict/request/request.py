"""A request: what to read, how to judge it, what to make of it."""

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from datetime import datetime, tzinfo
from pathlib import Path

import msgspec

from plain_verdict.delivery.report_index.title import IndexWords
from plain_verdict.evidence import EvidenceOptions
from plain_verdict.history.finding import HistoryOptions
from plain_verdict.inputs.completeness import Expected
from plain_verdict.masking import MaskRules
from plain_verdict.merging import VariantOptions
from plain_verdict.model import Fact, Kind
from plain_verdict.readers import Formats
from plain_verdict.readers.samples.options import SamplesOptions
from plain_verdict.report.brand import Brand
from plain_verdict.request.targets import Recipient, Sending, Target
from plain_verdict.runtime.executors import PATIENCE_S, Engine, EngineOptions
from plain_verdict.settings.limits import DEFAULT_LIMITS, Limits
from plain_verdict.settings.mappings import ResultMapping
from plain_verdict.settings.report_tables import MailTable, ReportTable
from plain_verdict.settings.rules import ConditionRule, Rules, SeverityRule


class ReadOptions(msgspec.Struct, frozen=True):
    """How results are read.

    ``retries`` are files, folders and patterns of later goes, ``kinds`` those of another kind than
    the format's own. ``api_document`` is the path of an OpenAPI document, ``mappings`` are the team's own formats.
    ``targets`` are conditions; those on load become checks of its requests. ``baseline`` are load results of an
    earlier run to compare with. ``engine`` reads files (see Engine), samples without the first ``leave_out_s``
    seconds of each; ``metrics`` are columns of them with the team's own numbers.
    ``evidence`` None leaves evidence as results name it.
    ``evidence_folders`` are then those that it would be looked for in: archives in them are no results.
    ``zone`` None leaves times as they are.
    """

    retries: tuple[tuple[str, ...], ...] = ()
    kinds: Mapping[Kind, tuple[str, ...]] = {}
    api_document: str = ""
    mappings: tuple[ResultMapping, ...] = ()
    drafts: bool = True
    """Whether files of an unknown format are read by a drafted mapping that is certain."""
    extensions: bool = True
    """Whether installed extensions are used."""
    targets: tuple[ConditionRule, ...] = ()
    baseline: tuple[str, ...] = ()
    expected: Expected = Expected()
    variants: VariantOptions = VariantOptions()
    requirements: tuple[str, ...] = ()
    requirement_pattern: str = ""
    engine: str = ""
    engine_patience_s: float = PATIENCE_S
    leave_out_s: float = 0.0
    noise_threshold: tuple[float, float] = (0.05, 0.005)
    """Changes that nobody minds: a share, and seconds."""
    metrics: tuple[str, ...] = ()
    evidence: EvidenceOptions | None = EvidenceOptions()
    evidence_folders: tuple[str, ...] = ()
    zone: tzinfo | None = None
    masking: MaskRules = MaskRules()
    severities: tuple[SeverityRule, ...] = ()
    """The team's severities for rules of tools."""
    limits: Limits = DEFAULT_LIMITS

    @property
    def formats(self) -> Formats:
        """Return what is read besides the formats that are built in."""
        return Formats(self.mappings, self.drafts, self.extensions)

    @property
    def engine_options(self) -> EngineOptions:
        """Return which engine does work that others can do."""
        return EngineOptions(self.engine, self.engine_patience_s)

    @contextmanager
    def samples(self) -> Iterator[SamplesOptions]:
        """Give how samples are counted; the engine for it is given up at the end."""
        with Engine(self.engine, patience_s=self.engine_patience_s) as engine:
            yield SamplesOptions(engine, self.metrics, self.leave_out_s)


class ReadRequest(msgspec.Struct, frozen=True):
    """What to read and how to judge it. ``made`` is when; ``notes`` are on how it was asked for.

    ``title`` "" is the results' own, ``facts`` are those that the user tells; with ``git`` the repository adds
    its own.
    """

    results: tuple[str, ...]
    options: ReadOptions
    rules: Rules
    made: datetime
    notes: tuple[str, ...] = ()
    history: HistoryOptions = HistoryOptions()
    title: str = ""
    facts: tuple[Fact, ...] = ()
    git: bool = True


class Request(msgspec.Struct, frozen=True):
    """What to read, and the page to make of it: ``report`` and ``mail`` as in the settings, the rest ready.

    ``watch``: the page is made again and again.
    ``root`` is the folder below which names vary; ``destinations`` are where the page is published.
    ``index`` is the folder of the page over all pages, and the way to it from the page; None: it is not wanted.
    ``sending`` is None where no mail is sent; ``recipients`` are web services that are notified.
    """

    read: ReadRequest
    report: ReportTable
    mail: MailTable
    brand: Brand
    root: Path = Path()
    watch: bool = False
    destinations: tuple[Target, ...] = ()
    index: tuple[Path, str] | None = None
    index_words: IndexWords | None = None
    sending: Sending | None = None
    recipients: tuple[Recipient, ...] = ()

    @property
    def layout(self) -> str:
        """Return the name of the page's layout; what is packed is a folder."""
        return "folder" if self.report.zip else self.report.layout
