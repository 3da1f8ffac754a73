"""Files that people attach: told by their content and not by their name, kept apart, and given back only as a download."""

from __future__ import annotations

import csv
import io
from collections import Counter
from typing import NamedTuple

from django.apps import apps
from django.conf import settings
from django.db.models import FileField, Sum
from lxml import etree
from PIL import Image, ImageOps
from rest_framework.request import Request

from metrology.faults import Fault

MAX_FILE = 15 * 2**20
MAX_PIXELS = 60_000_000
STARTS = ((b"%PDF-", "application/pdf"), (b"\x89PNG\r\n", "image/png"), (b"\xff\xd8\xff", "image/jpeg"))
FORMATS = {"image/png": "PNG", "image/jpeg": "JPEG"}
ACTIVE = frozenset(("html", "svg", "script", "stylesheet", "xul", "math"))  # what a browser would run or draw
LOOKED_AT = 60  # lines of a table
ALIKE = 0.6  # of which have the same columns
JPEG_QUALITY = 92


class Kept(NamedTuple):
    """A file as it is kept."""

    name: str
    kind: str  # media type
    data: bytes


def sent_file(request: Request) -> tuple[str, bytes]:
    """Name and content of the file in a request; a Fault when there is none."""
    sent = request.FILES.get("file")
    if sent is None or not sent.name:
        raise Fault("no_file", "Choose a file.", field="file")
    return sent.name, sent.read()


def stored_bytes() -> int:
    """What all files of the plant take together."""
    tables = [m for m in apps.get_models() if any(isinstance(f, FileField) for f in m._meta.get_fields())]
    return sum(int(m._default_manager.aggregate(n=Sum("size"))["n"] or 0) for m in tables)


def keep(name: str, data: bytes) -> Kept:
    """A file as it may be kept: a PDF, PNG, JPEG, CSV or XML by what is in it, under a plain name; pictures without what a camera adds.

    Raises a Fault for anything else, for what is too large, and where the plant's room for files is used up.
    """
    if not data or len(data) > MAX_FILE:
        raise Fault("too_large", f"A file of 1 byte to {MAX_FILE // 2**20} MB is taken; this has {len(data) / 2**20:.1f} MB.", field="file")
    if stored_bytes() + len(data) > settings.FILES_QUOTA_BYTES:
        room = f"The plant's room for files, {settings.FILES_QUOTA_BYTES / 2**30:g} GB, is used up."
        told = f"{room} Ask whoever runs the server for more. The file was not kept."
        raise Fault("no_room", told, field="file")
    kind = next((k for start, k in STARTS if data.startswith(start)), "")
    if kind in FORMATS:
        data = _drawn_anew(name, data, FORMATS[kind])
    elif not kind:
        kind = _kind_of_text(name, data)
    return Kept(plain_name(name), kind, data)


def plain_name(name: str) -> str:
    """A name without ways to other folders and without signs that mean something elsewhere; its end is kept."""
    return "".join(c for c in name if c.isalnum() or c in " ._-")[-120:].strip(" .") or "file"


def _wrong_kind(name: str, why: str = "is no PDF, picture, CSV or XML") -> Fault:
    return Fault("wrong_kind", f"{plain_name(name)} {why}. It was not kept.", field="file")


def _drawn_anew(name: str, data: bytes, form: str) -> bytes:
    """The picture itself and nothing else: upright, without place, time, device, comments or what hangs behind its end."""
    out = io.BytesIO()
    try:
        with Image.open(io.BytesIO(data), formats=[form]) as sent:
            if sent.width * sent.height > MAX_PIXELS:
                raise _wrong_kind(name, f"is a picture of more than {MAX_PIXELS // 10**6} million points")
            picture = ImageOps.exif_transpose(sent)
            picture.info = {k: v for k, v in picture.info.items() if k == "transparency"}
            picture.save(out, form, **({"quality": JPEG_QUALITY} if form == "JPEG" else {}))
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError) as error:
        if isinstance(error, Fault):
            raise
        raise _wrong_kind(name, "begins like a picture and can't be read as one") from None
    return out.getvalue()


def _kind_of_text(name: str, data: bytes) -> str:
    if b"\x00" in data:
        raise _wrong_kind(name)
    start = data[:4096].lstrip(b"\xef\xbb\xbf \t\r\n")
    if start.startswith(b"<"):
        _check_xml(name, data.lstrip(b"\xef\xbb\xbf \t\r\n"))
        return "application/xml"
    if start.startswith(b"#!") or not _is_table(data.decode("utf-8-sig", "replace")):
        raise _wrong_kind(name)
    return "text/csv"


def _check_xml(name: str, data: bytes) -> None:
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False)
    try:
        root = etree.fromstring(data, parser)
    except (etree.XMLSyntaxError, ValueError):
        raise _wrong_kind(name, "begins like XML and can't be read as such") from None
    if root.getroottree().docinfo.doctype:
        raise _wrong_kind(name, "brings definitions of its own (DOCTYPE), which are not taken")
    for element in root.iter():
        if isinstance(element.tag, str) and etree.QName(element).localname.lower() in ACTIVE:
            raise _wrong_kind(name, "holds a page, a drawing or a script")
    if any(str(s.target) == "xml-stylesheet" for s in root.itersiblings(tag=etree.ProcessingInstruction, preceding=True)):
        raise _wrong_kind(name, "names a style sheet, which would draw it as a page")


def _is_table(text: str) -> bool:
    """Whether most of its lines, two or more, have the same number of columns, parted by one of the usual signs, with something in two of them."""
    lines = [line for line in text.splitlines()[:LOOKED_AT] if line.strip()]
    if len(lines) < 2 or any(mark in text.casefold() for mark in ("<!doctype", "<html", "<svg", "<script")):
        return False
    for sign in ",;\t":
        try:
            rows = list(csv.reader(lines, delimiter=sign))
        except csv.Error:
            continue
        counts = Counter(len(row) for row in rows if sum(bool(cell.strip()) for cell in row) >= 2)
        if counts and counts.most_common(1)[0][1] >= ALIKE * len(rows):
            return True
    return False
