"""``plain-verdict extensions``: what installed packages add, and whether it can be used."""

import argparse
from collections.abc import Iterator, Sequence

from plain_verdict.cli.common import DONE, NOT_PASSED_ON, add_debug
from plain_verdict.cli.terminal import show, show_error
from plain_verdict.extension.loading import API_VERSION, Extension, failed, find_extensions
from plain_verdict.judging.measures import MEASURES
from plain_verdict.judging.measures.extensions import load_measure
from plain_verdict.readers import EXTENSIONS
from plain_verdict.report.extension_sections import load_section
from plain_verdict.runtime.errors import ExtensionError
from plain_verdict.text.formatting import plural
from plain_verdict.writers import all_writers
from plain_verdict.writers.extensions import ExtensionWriter


def add_options(parser: argparse.ArgumentParser) -> None:
    """Add the command's options."""
    add_debug(parser)


def _trouble(extensions: Sequence[Extension]) -> Iterator[ExtensionError]:
    """Yield why extensions can't be used; each is loaded for that, as when it is used."""
    yield from EXTENSIONS.trouble
    built_in = {
        "measures": {measure.name for measure in MEASURES},
        "writers": {writer.name for writer in all_writers()},
    }
    loaders = {"measures": load_measure, "writers": ExtensionWriter, "sections": load_section}
    for extension in extensions:
        if extension.name in built_in.get(extension.kind, ()):
            yield failed(extension, "has the name of one of the program, which is used instead")
        elif extension.kind in loaders:
            try:
                loaders[extension.kind](extension)
            except ExtensionError as error:
                yield error


def run(options: argparse.Namespace) -> int:  # noqa: ARG001  as all commands
    """List the extensions by package; say of each that can't be used why."""
    extensions = find_extensions()
    if not extensions:
        show(f"No extension is installed. This program has version {API_VERSION} of the extension API.")
        return DONE
    trouble = list(_trouble(extensions))
    for package, version, folder in dict.fromkeys(
        (found.package, found.version, found.folder) for found in extensions
    ):
        show(f"{package} {version}")
        show(f"  {folder}", "soft")
        for extension in extensions:
            if (extension.package, extension.folder) == (package, folder):
                show(f"  {extension.noun} {extension.name}: {extension.value}")
    for error in trouble:
        show_error(error)
    working = "all can be used" if not trouble else f"{plural(len(trouble), 'of them')} can't be used"
    show(f"{plural(len(extensions), 'extension')}; {working}.")
    return NOT_PASSED_ON if trouble else DONE
