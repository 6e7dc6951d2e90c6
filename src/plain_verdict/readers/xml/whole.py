"""Small XML files that are read at once: no entities, no DTD, no network."""

from lxml import etree

from plain_verdict.readers.xml.text import HAS_DOCTYPE


def parse_whole(data: bytes) -> "etree._Element":
    """Return the root of a file. Raises ValueError, in words that go on from “it”, for a DTD and for no XML."""
    parser = etree.XMLParser(
        resolve_entities=False, load_dtd=False, no_network=True, remove_comments=True, remove_pis=True
    )
    try:
        root = etree.fromstring(data, parser)
    except etree.XMLSyntaxError as error:
        raise ValueError(f"is not XML: {error}") from error
    if root.getroottree().docinfo.internalDTD is not None:
        raise ValueError(HAS_DOCTYPE)
    return root
