"""The one door through which XML is read: no entities, so a file holds what it shows and names no other."""

from __future__ import annotations

from xml.etree.ElementTree import Element, ParseError

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring

from plodek.core.errors import BadFile


def parsed(text: bytes | str, name: str, what: str, remedy: str) -> Element:
    """Give the root of an XML text. Raises BadFile with ``what`` it should be where it is none."""
    try:
        found: Element = fromstring(text)
    except (ParseError, DefusedXmlException, ValueError) as error:
        raise BadFile(f"it is no {what} that can be read ({error})", where=name, remedy=remedy) from error
    return found
