"""Everything that is wanted of a report: the command line over the settings, all of it checked before any work."""

import argparse
import os
from collections.abc import Mapping
from datetime import UTC, datetime, tzinfo
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from plain_verdict.arrivals import Expected
from plain_verdict.brand import Brand, read_brand
from plain_verdict.cli.common import expected_by, mask_rules
from plain_verdict.errors import UsageError
from plain_verdict.evidence import EvidenceWishes, check_places
from plain_verdict.facts import environment_facts, read_pairs
from plain_verdict.masking import MaskRules
from plain_verdict.model import Fact
from plain_verdict.rules import Rules
from plain_verdict.settings import read_size
from plain_verdict.settings_file import read_settings
from plain_verdict.settings_tables import MailTable, ReportTable, SettingsFile
from plain_verdict.writers.files import check_target
from plain_verdict.writers.keeping import check_latest
from plain_verdict.writers.naming import Names, check_pattern, path_of
from plain_verdict.zones import read_zone

if TYPE_CHECKING:
    from plain_verdict.writers.mail import Envelope

_BRAND_OPTIONS = ("organisation", "logo", "accent")


class Wishes(msgspec.Struct, frozen=True):
    """What is wanted: ``report`` and ``mail`` as in the settings, the rest read and ready."""

    report: ReportTable
    mail: MailTable
    brand: Brand
    facts: tuple[Fact, ...]
    masking: MaskRules
    evidence: EvidenceWishes
    expected: Expected
    rules: Rules
    zone: tzinfo | None
    made: datetime
    notes: tuple[str, ...] = ()
    """On what was asked for and is not there."""

    @property
    def in_folder(self) -> bool:
        """Return whether the page is a folder."""
        return self.report.layout == "folder" or self.report.zip


def read_wishes(options: argparse.Namespace, environment: Mapping[str, str]) -> Wishes:
    """Return what the command line and the settings want. Raises UsageError, before any result is read."""
    settings = read_settings(options.config)
    zone = read_zone(options.time_zone or settings.report.time_zone)
    made = made_at(environment.get("SOURCE_DATE_EPOCH"))
    made = made.astimezone(zone) if zone else made
    wishes = Wishes(
        report=_report(options, settings),
        mail=_mail(options, settings),
        brand=_brand(options, settings),
        facts=_facts(options, settings, environment),
        masking=mask_rules(options, settings),
        evidence=_evidence(options, settings),
        expected=expected_by(options, settings, made),
        rules=settings.rules,
        zone=zone,
        made=made,
        notes=tuple(
            f"The environment has no {name}, so the fact “{key}” is missing."
            for key, name in settings.facts_from_environment.items()
            if not environment.get(name)
        ),
    )
    _check(wishes)
    return wishes


def made_at(epoch: str | None) -> datetime:
    """Return when the page is made: now, or the moment that SOURCE_DATE_EPOCH fixes.

    Source: Reproducible Builds, SOURCE_DATE_EPOCH specification, version 1.1.
    """
    if not epoch:
        return datetime.now().astimezone()
    try:
        return datetime.fromtimestamp(int(epoch), UTC)
    except (ValueError, OverflowError, OSError) as error:
        raise UsageError(f"SOURCE_DATE_EPOCH is no number of seconds: {epoch[:40]!r}") from error


def envelope_of(wishes: Wishes) -> "Envelope":
    """Return who writes the digest to whom."""
    from plain_verdict.writers.mail import Envelope

    brand, mail = wishes.brand, wishes.mail
    contact = brand.contact if brand.contact_link.startswith("mailto:") else ""
    return Envelope(wishes.made, mail.sender or contact, mail.to, brand.logo.png if brand.logo else b"")


def _given(options: argparse.Namespace, names: tuple[str, ...]) -> dict[str, object]:
    return {name: getattr(options, name) for name in names if getattr(options, name, None) is not None}


def _report(options: argparse.Namespace, settings: SettingsFile) -> ReportTable:
    return msgspec.structs.replace(settings.report, **_given(options, ReportTable.__struct_fields__))


def _mail(options: argparse.Namespace, settings: SettingsFile) -> MailTable:
    return msgspec.structs.replace(settings.mail, file=options.mail) if options.mail else settings.mail


def _brand(options: argparse.Namespace, settings: SettingsFile) -> Brand:
    names = settings.brand
    if options.logo:
        names = msgspec.structs.replace(names, logo_dark="")  # it belongs to the logo that this one replaces
    return read_brand(msgspec.structs.replace(names, **_given(options, _BRAND_OPTIONS)))


def _facts(options: argparse.Namespace, settings: SettingsFile, environment: Mapping[str, str]) -> tuple[Fact, ...]:
    """Return the facts in the order given; one key counts once, the command line first."""
    given = read_pairs(options.fact or ())
    told = tuple(Fact(key, _written(value)) for key, value in settings.facts.items())
    named = environment_facts(settings.facts_from_environment, environment)
    by_key: dict[str, Fact] = {}
    for fact in (*given, *told, *named):
        by_key.setdefault(fact.key, fact)
    return tuple(by_key.values())


def _written(value: object) -> str:
    return ("no", "yes")[value] if isinstance(value, bool) else str(value)


def _evidence(options: argparse.Namespace, settings: SettingsFile) -> EvidenceWishes:
    evidence = settings.evidence
    return EvidenceWishes(
        places=evidence.places if options.evidence is None else tuple(options.evidence),
        whose=options.evidence_for or evidence.whose,
        page_bytes=read_size(options.size_limit or evidence.size_limit),
    )


def _check(wishes: Wishes) -> None:
    check_places(wishes.evidence)
    check_pattern(wishes.report.out)
    check_latest(wishes.report.latest)
    if wishes.report.keep < 0:
        raise UsageError("--keep is no number of pages", hint="write --keep 20")
    if wishes.expected.files is not None and wishes.expected.files < 0:
        raise UsageError("--expect-files is no number of files", hint="write --expect-files 4")
    if wishes.report.zip and wishes.report.out.endswith((".html", ".htm")):
        raise UsageError(
            "--zip packs a folder, and --out names a file", path=wishes.report.out, hint="name a folder"
        )
    if wishes.mail.file:
        from plain_verdict.writers.mail import check_mail

        check_mail(wishes.mail.file, envelope_of(wishes))
        check_target(Path(wishes.mail.file).absolute(), folder=False, overwrite=True)
    # What only the results tell may be in the folder's name as well; that folder is made later.
    nobody = Names("title", "verdict", wishes.made, {})
    check_target(
        path_of(wishes.report.out, nobody, folder=wishes.in_folder),
        folder=wishes.in_folder,
        overwrite=wishes.report.overwrite,
        make_folder="{" not in os.path.dirname(wishes.report.out),  # noqa: PTH120  text, not a path yet
    )
