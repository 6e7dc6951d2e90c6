"""Mappings: the team's own descriptions of result files in any JSON, XML or table form (docs/mappings.md)."""

from plain_verdict.settings.mappings.load import (
    Column as Column,
)
from plain_verdict.settings.mappings.load import (
    MetricMapping as MetricMapping,
)
from plain_verdict.settings.mappings.load import (
    RequestMapping as RequestMapping,
)
from plain_verdict.settings.mappings.load import (
    SamplesMapping as SamplesMapping,
)
from plain_verdict.settings.mappings.load import (
    SuccessMapping as SuccessMapping,
)
from plain_verdict.settings.mappings.load import (
    Words as Words,
)
from plain_verdict.settings.mappings.mapping import (
    EventsMapping as EventsMapping,
)
from plain_verdict.settings.mappings.mapping import (
    MappingFile as MappingFile,
)
from plain_verdict.settings.mappings.mapping import (
    ResultMapping as ResultMapping,
)
from plain_verdict.settings.mappings.mapping import (
    RunMapping as RunMapping,
)
from plain_verdict.settings.mappings.mapping import (
    TableMapping as TableMapping,
)
from plain_verdict.settings.mappings.parts import (
    CheckMapping as CheckMapping,
)
from plain_verdict.settings.mappings.parts import (
    EvidenceMapping as EvidenceMapping,
)
from plain_verdict.settings.mappings.parts import (
    ExchangeMapping as ExchangeMapping,
)
from plain_verdict.settings.mappings.parts import (
    ExpectationMapping as ExpectationMapping,
)
from plain_verdict.settings.mappings.parts import (
    HowEnded as HowEnded,
)
from plain_verdict.settings.mappings.parts import (
    LevelMapping as LevelMapping,
)
from plain_verdict.settings.mappings.parts import (
    Links as Links,
)
from plain_verdict.settings.mappings.parts import (
    Many as Many,
)
from plain_verdict.settings.mappings.parts import (
    Pairs as Pairs,
)
from plain_verdict.settings.mappings.parts import (
    Part as Part,
)
from plain_verdict.settings.mappings.parts import (
    ProblemMapping as ProblemMapping,
)
from plain_verdict.settings.mappings.parts import (
    StepMapping as StepMapping,
)
from plain_verdict.settings.mappings.parts import (
    Suite as Suite,
)
from plain_verdict.settings.mappings.values import (
    Bounds as Bounds,
)
from plain_verdict.settings.mappings.values import (
    Condition as Condition,
)
from plain_verdict.settings.mappings.values import (
    Conditions as Conditions,
)
from plain_verdict.settings.mappings.values import (
    Lookup as Lookup,
)
from plain_verdict.settings.mappings.values import (
    ManyTexts as ManyTexts,
)
from plain_verdict.settings.mappings.values import (
    MappingTable as MappingTable,
)
from plain_verdict.settings.mappings.values import (
    Meaning as Meaning,
)
from plain_verdict.settings.mappings.values import (
    Moment as Moment,
)
from plain_verdict.settings.mappings.values import (
    OutcomeRule as OutcomeRule,
)
from plain_verdict.settings.mappings.values import (
    Scalar as Scalar,
)
from plain_verdict.settings.mappings.values import (
    Text as Text,
)
from plain_verdict.settings.mappings.values import (
    Took as Took,
)
from plain_verdict.settings.mappings.values import (
    Unit as Unit,
)
from plain_verdict.settings.mappings.values import (
    Value as Value,
)
