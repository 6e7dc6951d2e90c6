"""What the command line says. None and nothing mean that the settings hold."""

import msgspec


class Overrides(msgspec.Struct, frozen=True):
    """One field an option, under the option's name."""

    results: tuple[str, ...] = ()
    retry: tuple[tuple[str, ...], ...] = ()
    config: str | None = None
    rules: str | None = None
    trust_settings: bool = False
    api_document: str | None = None
    mapping: tuple[str, ...] = ()
    baseline: tuple[str, ...] = ()
    requirements: tuple[str, ...] = ()
    engine: str | None = None
    previous: tuple[str, ...] = ()
    history: str | None = None
    against: str | None = None
    build: str | None = None
    find_previous: bool | None = None
    masking: bool | None = None
    mask_values: tuple[str, ...] = ()
    expect_files: int | None = None
    newer_than: str | None = None
    out: str | None = None
    overwrite: bool | None = None
    latest: str | None = None
    keep: int | None = None
    publish: tuple[str, ...] = ()
    index: bool | None = None
    layout: str | None = None
    zip: bool | None = None
    mail: str | None = None
    send: bool | None = None
    tables: str | None = None
    tables_as: str | None = None
    pdf: str | None = None
    pdf_for: str | None = None
    pdf_paper: str | None = None
    junit: str | None = None
    markdown: str | None = None
    link: str | None = None
    charts: str | None = None
    earl: str | None = None
    digest: str | None = None
    title: str | None = None
    description: str | None = None
    fact: tuple[str, ...] = ()
    pipeline: bool | None = None
    git: bool | None = None
    organisation: str | None = None
    logo: str | None = None
    accent: str | None = None
    theme: str | None = None
    time_zone: str | None = None
    only: str | None = None
    evidence: tuple[str, ...] | None = None
    evidence_for: str | None = None
    size_limit: str | None = None
    enforce: bool | None = None
    strict: bool | None = None
    watch: bool = False
