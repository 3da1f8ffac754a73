"""Files as answers, under names that any file system takes."""

from __future__ import annotations

from django.http import HttpResponse


def file_answer(body: bytes, kind: str, name: str, *, inline: bool = False) -> HttpResponse:
    """An answer that is a file of a media type; inline: to be shown in the page rather than kept."""
    response = HttpResponse(body, content_type=kind)
    response["Content-Disposition"] = f'{"inline" if inline else "attachment"}; filename="{safe_name(name)}"'
    return response


def safe_name(name: str) -> str:
    """A name of letters, digits, dots, hyphens and underscores alone."""
    return "".join(c if (c.isalnum() and c.isascii()) or c in "-_." else "_" for c in name)
