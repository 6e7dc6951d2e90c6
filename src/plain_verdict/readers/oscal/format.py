"""The parts of assessment results that are read: from JSON as they stand in it, XML brought to the same form."""

from collections.abc import Iterator

import msgspec
from lxml import etree

from plain_verdict.readers.xml.whole import parse_whole
from plain_verdict.text.json_text import decode_typed

Element = etree._Element  # lxml has no public name for it


class Part(msgspec.Struct, frozen=True, rename="kebab"):
    """What all parts share; keys that are not known are passed over."""


class Status(Part, frozen=True):
    """How an objective or statement of a control stands."""

    state: str = ""
    reason: str = ""
    remarks: str = ""


class Target(Part, frozen=True):
    """What a finding is about."""

    target_id: str = ""
    title: str = ""
    status: Status = Status()


class Reference(Part, frozen=True):
    """A finding's observation or risk."""

    observation_uuid: str = ""
    risk_uuid: str = ""


class Finding(Part, frozen=True):
    """What was found of one objective."""

    title: str = ""
    description: str = ""
    target: Target = Target()
    related_observations: tuple[Reference, ...] = ()
    associated_risks: tuple[Reference, ...] = ()
    related_risks: tuple[Reference, ...] = ()
    """As 1.0 calls them."""
    remarks: str = ""

    @property
    def risks(self) -> tuple[Reference, ...]:
        """Return its risks, as either version names them."""
        return (*self.associated_risks, *self.related_risks)


class Subject(Part, frozen=True):
    """What was looked at."""

    title: str = ""
    type: str = ""
    subject_uuid: str = ""


class Evidence(Part, frozen=True):
    """What an observation rests on."""

    href: str = ""
    description: str = ""


class Observation(Part, frozen=True):
    """Something that was seen."""

    uuid: str = ""
    title: str = ""
    description: str = ""
    methods: tuple[str, ...] = ()
    subjects: tuple[Subject, ...] = ()
    relevant_evidence: tuple[Evidence, ...] = ()
    collected: str = ""


class Facet(Part, frozen=True):
    """One grade of a risk."""

    name: str = ""
    value: str = ""


class Characterization(Part, frozen=True):
    """How grave a risk is."""

    facets: tuple[Facet, ...] = ()


class Remediation(Part, frozen=True):
    """What would mend a risk."""

    title: str = ""
    description: str = ""


class Risk(Part, frozen=True):
    """A risk."""

    uuid: str = ""
    title: str = ""
    description: str = ""
    statement: str = ""
    status: str = ""
    deadline: str = ""
    characterizations: tuple[Characterization, ...] = ()
    remediations: tuple[Remediation, ...] = ()


class Result(Part, frozen=True):
    """The results of one assessment."""

    title: str = ""
    start: str = ""
    end: str = ""
    observations: tuple[Observation, ...] = ()
    risks: tuple[Risk, ...] = ()
    findings: tuple[Finding, ...] = ()


class Metadata(Part, frozen=True):
    """What the document says of itself."""

    title: str = ""
    oscal_version: str = ""


class Results(Part, frozen=True):
    """A whole document."""

    metadata: Metadata = Metadata()
    results: tuple[Result, ...] = ()


class Document(Part, frozen=True):
    """A document in JSON."""

    assessment_results: Results


_PLURALS = {
    "result": "results",
    "observation": "observations",
    "risk": "risks",
    "finding": "findings",
    "method": "methods",
    "subject": "subjects",
    "related-observation": "related-observations",
    "associated-risk": "associated-risks",
    "related-risk": "related-risks",
    "characterization": "characterizations",
    "facet": "facets",
    "response": "remediations",
    "relevant-evidence": "relevant-evidence",
}
_TEXT_KEYS = ("title", "description", "statement", "remarks")
_MOST_DEEP = 30  # the standard's models nest less


_decoder = msgspec.json.Decoder(Document)


def from_json(data: bytes) -> Results:
    """Return a document in JSON. Raises one of msgspec's errors."""
    return decode_typed(data, _decoder).assessment_results


def from_xml(data: bytes) -> Results:
    """Return a document in XML. Raises ValueError for one that is none."""
    root = parse_whole(data)
    try:
        return msgspec.convert(_value(root, 0), type=Results)
    except msgspec.ValidationError as error:
        raise ValueError(str(error)) from error


def _value(element: Element, depth: int) -> object:
    """Return an element as JSON has it: attributes and children as keys, repeated ones as lists, prose as text."""
    name = _name(element)
    children = [child for child in element if isinstance(child.tag, str)]
    if name in _TEXT_KEYS or (not children and not element.attrib):
        return "\n".join(_lines(element))
    if depth > _MOST_DEEP:
        raise ValueError("it nests too deep")
    value: dict[str, object] = {str(key): str(attribute) for key, attribute in element.attrib.items()}
    lists: dict[str, list[object]] = {}
    for child in children:
        key = _name(child)
        if key in _PLURALS:
            lists.setdefault(_PLURALS[key], []).append(_value(child, depth + 1))
        elif key not in ("prop", "link"):
            value[key] = _value(child, depth + 1)
    return value | lists


def _name(element: Element) -> str:
    return str(element.tag).rpartition("}")[2]


def _lines(element: Element) -> Iterator[str]:
    paragraphs = [child for child in element if isinstance(child.tag, str)] or [element]
    for paragraph in paragraphs:
        text = " ".join("".join(str(part) for part in paragraph.itertext()).split())
        if text:
            yield text
