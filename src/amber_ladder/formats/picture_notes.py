"""What a picture says of itself: whose it is, of what, how it was made and at which scale, as XMP and EXIF.

Terms are those of Dublin Core, XMP rights, Darwin Core, and Audubon Core (https://ac.tdwg.org/termlist/).
"""

from dataclasses import dataclass
from xml.etree import ElementTree

from PIL import Image

_NAMES = {
    "rdf": "http://www.w3.org/1999/02/22-rdf-syntax-ns#",
    "dc": "http://purl.org/dc/elements/1.1/",
    "xmp": "http://ns.adobe.com/xap/1.0/",
    "xmpRights": "http://ns.adobe.com/xap/1.0/rights/",
    "dwc": "http://rs.tdwg.org/dwc/terms/",
    "ac": "http://rs.tdwg.org/ac/terms/",
}
_DESCRIPTION, _SOFTWARE, _ARTIST, _COPYRIGHT = 270, 305, 315, 33432  # EXIF 2.32, tags of the first directory
for _prefix, _address in _NAMES.items():
    ElementTree.register_namespace(_prefix, _address)
ElementTree.register_namespace("x", "adobe:ns:meta/")


@dataclass(frozen=True, slots=True)
class PictureNotes:
    """What is known; empty where it is not. ``scale`` is in words, with its uncertainty and where it comes from."""

    title: str
    catalogue_number: str
    determination: str
    creator: str
    rights_holder: str
    licence: str
    made_by: str
    scale: str
    software: str
    merged_at: str

    def xmp(self) -> bytes:
        """As an XMP packet."""
        root = ElementTree.Element("{adobe:ns:meta/}xmpmeta")
        rdf = ElementTree.SubElement(root, _name("rdf:RDF"))
        about = ElementTree.SubElement(rdf, _name("rdf:Description"), {_name("rdf:about"): ""})
        rights = ", ".join(one for one in (self.rights_holder, self.licence) if one)
        for term, value, holder in (
            ("dc:title", self.title, "Alt"), ("dc:creator", self.creator, "Seq"), ("dc:rights", rights, "Alt"),
            ("dc:identifier", self.catalogue_number, ""), ("dc:type", "StillImage", ""),
            ("xmpRights:Owner", self.rights_holder, "Bag"), ("xmpRights:UsageTerms", self.licence, "Alt"),
            ("dwc:catalogNumber", self.catalogue_number, ""), ("dwc:scientificName", self.determination, ""),
            ("ac:resourceCreationTechnique", self.made_by, ""), ("ac:comments", self.scale, ""),
            ("xmp:CreatorTool", self.software, ""), ("xmp:CreateDate", self.merged_at, ""),
        ):  # fmt: skip
            if value:
                _add(about, term, value, holder)
        packet = ElementTree.tostring(root, encoding="unicode")
        return f'<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>{packet}<?xpacket end="w"?>'.encode()

    def exif(self) -> Image.Exif:
        """As EXIF, which knows ASCII only: a mu is written as u."""
        told = Image.Exif()
        description = ". ".join(one for one in (self.title, self.made_by, self.scale) if one)
        rights = ", ".join(one for one in (self.rights_holder, self.licence) if one)
        for tag, value in (
            (_DESCRIPTION, description), (_SOFTWARE, self.software), (_ARTIST, self.creator), (_COPYRIGHT, rights),
        ):  # fmt: skip
            if value:
                plain = value.replace("µ", "u").replace("±", "+-").replace("×", "x")
                told[tag] = plain.encode("ascii", "replace").decode()
        return told


def _add(parent: ElementTree.Element, term: str, value: str, holder: str) -> None:
    element = ElementTree.SubElement(parent, _name(term))
    if not holder:
        element.text = value
        return
    within = ElementTree.SubElement(element, _name(f"rdf:{holder}"))
    words = {"{http://www.w3.org/XML/1998/namespace}lang": "x-default"} if holder == "Alt" else {}
    ElementTree.SubElement(within, _name("rdf:li"), words).text = value


def _name(term: str) -> str:
    prefix, name = term.split(":")
    return f"{{{_NAMES[prefix]}}}{name}"
