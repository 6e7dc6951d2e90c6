"""The parts of XCCDF files: rules of a benchmark, and the results of rules on one machine."""

import re
from collections.abc import Iterator, Mapping
from typing import NamedTuple

from lxml import etree

from plain_verdict.model import Fact
from plain_verdict.readers.xml.events import LocalNames

Element = etree._Element  # lxml has no public name for it
# Characters that nobody writes (Unicode 15, private use): marks for values in texts.
_OPENS, _PARTS, _CLOSES = "\ue0f0", "\ue0f1", "\ue0f2"
VALUE_MARK = re.compile(f"{_OPENS}([^{_PARTS}]*){_PARTS}([^{_CLOSES}]*){_CLOSES}")
"""Where a text has a place for a value: its id, and what of it is meant."""
_LOCAL_NAMES = LocalNames()
_ID = re.compile(r"^xccdf_[^_]+(?:\.[^_]+)*_(?:rule|benchmark|profile|testresult|tailoring|value)_")


class BenchmarkRule(NamedTuple):
    """What a benchmark says of a rule."""

    title: str = ""
    asks: str = ""
    why: str = ""
    remediation: str = ""
    severity: str = ""
    role: str = ""
    weight: str = ""
    references: tuple[Fact, ...] = ()
    """Words and address of each."""
    has_values: bool = False
    """Whether its texts have places for values."""


class Override(NamedTuple):
    """That somebody changed a result, and why (NIST IR 7275r4, 6.6.4.3)."""

    authority: str
    old: str
    new: str
    remark: str
    time: str


class RuleResult(NamedTuple):
    """What came of one rule (NIST IR 7275r4, 6.6.4.2)."""

    rule: str
    results: tuple[str, ...]
    """One, in files that keep to the standard."""
    severity: str
    role: str
    time: str
    messages: tuple[str, ...]
    idents: tuple[tuple[str, str], ...]
    overrides: tuple[Override, ...]
    contents: tuple[tuple[str, str], ...]
    """Where each check is and what it is called there."""
    instances: tuple[str, ...]
    weight: str
    values: tuple[str, ...]
    """Ids of the values that its checks were given."""


class Machine(NamedTuple):
    """What stands beside the results of one machine (NIST IR 7275r4, 6.6.4.1)."""

    title: str
    benchmark: str
    host: str
    profile: str
    scores: tuple[tuple[str, str, str], ...]
    """System, value and maximum of each."""
    times: tuple[str, str]
    """When it began and ended."""
    values: Mapping[str, str]
    """As they were set, by id."""
    tailoring: str
    """Its file, where the results name one."""


def local(element: Element) -> str:
    """Return the name of an element without its namespace."""
    return _LOCAL_NAMES[element.tag]


def children(element: Element, name: str) -> Iterator[Element]:
    """Yield the elements of a name that stand directly in another, in whatever namespace."""
    return element.iterchildren(f"{{*}}{name}")


def text_of(element: Element | None) -> str:
    """Return all text in an element, its blank space made plain."""
    if element is None:
        return ""
    text = "".join(map(str, element.itertext())) if len(element) else element.text or ""
    return " ".join(text.split())


def first_text(element: Element, name: str) -> str:
    """Return the text of the first child of a name; "" where there is none."""
    return text_of(next(children(element, name), None))


def _mark_values(element: Element) -> bool:
    """Mark where texts of a rule have places for values (``sub``: NIST IR 7275r4, 6.2.9); tell if there are any."""
    marked = [child for child in element.iter("{*}sub") if child.get("idref")]
    for child in marked:
        child.text = f"{_OPENS}{child.get('idref')}{_PARTS}{child.get('use', 'value')}{_CLOSES}"
    return bool(marked)


def readable(id_: str) -> str:
    """Return an id as words: ``xccdf_org.x_rule_no_root_login`` is “No root login”."""
    words = _ID.sub("", id_.rpartition("/")[2]).replace("_", " ").strip()
    return words[:1].upper() + words[1:]


def rule_of(element: Element) -> BenchmarkRule:
    """Return a rule of a benchmark."""
    has_values = _mark_values(element)
    references = [
        Fact(text_of(child) or child.get("href", ""), child.get("href", ""))
        for child in children(element, "reference")
        if text_of(child) or child.get("href")
    ]
    mends = [text_of(child) for name in ("fixtext", "fix") for child in children(element, name)]
    return BenchmarkRule(
        title=first_text(element, "title"),
        asks=first_text(element, "description"),
        why=first_text(element, "rationale"),
        remediation=next(filter(None, mends), ""),
        severity=element.get("severity", ""),
        role=element.get("role", ""),
        weight=element.get("weight", ""),
        references=tuple(references),
        has_values=has_values,
    )


def machine_of(element: Element) -> Machine:
    """Return what stands beside the results of a machine."""
    benchmark = next(children(element, "benchmark"), None)
    return Machine(
        title=first_text(element, "title"),
        benchmark=str(benchmark.get("id") or benchmark.get("href") or "") if benchmark is not None else "",
        host=first_text(element, "target"),
        profile=next((child.get("idref", "") for child in children(element, "profile")), ""),
        scores=tuple(
            (child.get("system", ""), text_of(child), child.get("maximum", ""))
            for child in children(element, "score")
        ),
        times=(element.get("start-time", ""), element.get("end-time", "")),
        values={child.get("idref", ""): text_of(child) for child in children(element, "set-value")},
        tailoring=next((_tailoring(child) for child in children(element, "tailoring-file")), ""),
    )


def _tailoring(element: Element) -> str:
    version = element.get("version", "")
    return f"{element.get('href') or element.get('id', '')}{f', version {version}' if version else ''}"


def result_of(element: Element) -> RuleResult:
    """Return the result of a rule."""
    # In one go: an asset report has tens of thousands of them.
    results, messages, idents = [], [], []
    overrides: list[Override] = []
    contents: list[tuple[str, str]] = []
    instances, values = [], []
    for child in element:
        name = local(child)
        if name == "result":
            results.append(text_of(child))
        elif name == "ident":
            idents.append((child.get("system", ""), (child.text or "").strip()))
        elif name == "message":
            messages.append(text_of(child))
        elif name == "override":
            overrides.append(_override(child))
        elif name == "check":
            contents += [
                (reference.get("href", ""), reference.get("name", ""))
                for reference in children(child, "check-content-ref")
            ]
            values += [given.get("value-id", "") for given in children(child, "check-export")]
        elif name == "instance":
            instances.append(text_of(child))
    return RuleResult(
        rule=element.get("idref", ""),
        results=tuple(results),
        severity=element.get("severity", ""),
        role=element.get("role", ""),
        time=element.get("time", ""),
        messages=tuple(filter(None, messages)),
        idents=tuple(idents),
        overrides=tuple(overrides),
        contents=tuple(contents),
        instances=tuple(filter(None, instances)),
        weight=element.get("weight", ""),
        values=tuple(values),
    )


def _override(element: Element) -> Override:
    return Override(
        element.get("authority", ""),
        first_text(element, "old-result"),
        first_text(element, "new-result"),
        first_text(element, "remark"),
        element.get("time", ""),
    )
