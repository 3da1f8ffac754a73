"""Files that people attach: told by their content and not by their name, kept apart, and given back only as a download."""

from __future__ import annotations

from rest_framework.request import Request

from metrology.faults import Fault

MAX_FILE = 15 * 2**20
STARTS = ((b"%PDF-", "application/pdf"), (b"\x89PNG\r\n", "image/png"), (b"\xff\xd8\xff", "image/jpeg"))


def sent_file(request: Request) -> tuple[str, bytes]:
    """Name and content of the file in a request; a Fault when there is none."""
    sent = request.FILES.get("file")
    if sent is None or not sent.name:
        raise Fault("no_file", "Choose a file.", field="file")
    return sent.name, sent.read()


def check_file(name: str, data: bytes) -> tuple[str, str]:
    """A plain name and the media type of a PDF, picture, CSV or XML; a Fault for anything else, and for what is too large."""
    if not data or len(data) > MAX_FILE:
        raise Fault("too_large", f"A file of 1 byte to {MAX_FILE // 2**20} MB is taken; this has {len(data) / 2**20:.1f} MB.", field="file")
    kind = next((k for start, k in STARTS if data.startswith(start)), "")
    if not kind:
        text = data[:4096].lstrip(b"\xef\xbb\xbf \r\n")
        if b"\x00" in data[:4096]:
            raise Fault("wrong_kind", f"{name} is no PDF, picture, CSV or XML. It was not kept.", field="file")
        kind = "application/xml" if text.startswith(b"<") else "text/csv"
    plain = "".join(c for c in name if c.isalnum() or c in " ._-")[-120:] or "file"
    return plain, kind
