"""Signed digests of the journal's head, kept outside of the database: what was there on a day can be shown without trusting the server."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path
from smtplib import SMTPException
from typing import Any

from django.conf import settings
from django.core.mail import EmailMessage
from django.utils import timezone

from apps.journal.keys import public_key, sign
from apps.journal.models import Anchor, Entry
from apps.journal.verify import anchor_text
from apps.journal.writing import Told, head, moment, write

BY_DAY, BY_SIGNATURE, BY_HAND = "day", "signature", "by hand"
SURNAME = ".anchor.json"
MAILED = "Keep this. With the public key of the plant it shows that what stood in its journal on this day still stands there (verify.py)."


def plant() -> str:
    """The name under which this journal's anchors are signed: the one it began with."""
    first = Entry.objects.filter(kind="journal").order_by("seq").values_list("body", flat=True).first()
    return str(json.loads(first)["plant"]) if first else str(settings.PLANT_NAME or "")


def anchor_data(a: Anchor, name: str) -> dict[str, Any]:
    """An anchor as it is written to files and exports."""
    return {"plant": name, "seq": a.seq, "link": a.link, "at": a.at, "key": a.key, "signature": a.signature}


def folders() -> list[Path]:
    """Where anchors are written to: the plant's own folder, and the one it chose elsewhere."""
    return [Path(f) for f in (settings.ANCHORS_HERE, settings.ANCHOR_FOLDER) if f]


def keys() -> list[str]:
    """Every public key that this journal was signed with, the first one first: a restored plant goes on with another."""
    bodies = Entry.objects.filter(kind="key").order_by("seq").values_list("body", flat=True)
    return [str(json.loads(body)["key"]) for body in bodies]


def make_anchor(why: str) -> Anchor | None:
    """Sign the head and write it out; None of an empty journal. A folder that can't be written to is told in the anchor and holds up nothing."""
    if not head()[0]:
        return None
    if keys()[-1:] != [public_key()]:
        write([Told("key", "signs from now on", {"key": public_key()})])
    seq, link = head()
    name, at = plant(), moment(timezone.now())
    made = Anchor(seq=seq, link=link, at=at, why=why, key=public_key())
    made.signature = sign(anchor_text({"plant": name, "seq": seq, "link": link, "at": at}))
    text = json.dumps(anchor_data(made, name), indent=1)
    wrong = []
    for folder in folders():
        try:
            folder.mkdir(parents=True, exist_ok=True)
            (folder / f"{seq:012d}-{at[:10]}{SURNAME}").write_text(text, encoding="utf-8")
        except OSError as error:
            wrong.append(f"{folder}: {error.strerror or error}")
    if settings.ANCHOR_MAIL and why != BY_SIGNATURE:  # by mail once a day: whoever keeps them is not to be buried in them
        wrong += _mail(f"{seq:012d}-{at[:10]}{SURNAME}", text, f"{name}: the journal at entry {seq}, {at[:10]}")
    made.problem = "; ".join(wrong)[:300]
    made.save()
    return made


def _mail(name: str, text: str, subject: str) -> list[str]:
    """Send an anchor to whom the plant chose; why it did not go, where it did not."""
    message = EmailMessage(subject, f"{MAILED}\n\n{text}\n", to=settings.ANCHOR_MAIL)
    message.attach(name, text, "application/json")
    try:
        message.send()
    except (OSError, SMTPException) as error:
        return [f"by mail: {error}"]
    return []


def anchor_after(seq: int) -> Anchor | None:
    """The first anchor that covers an entry."""
    return Anchor.objects.filter(seq__gte=seq).order_by("seq", "pk").first()


def place_of(subject: str, place: int) -> tuple[Entry, Anchor] | None:
    """The entry of an event of a run in the journal, and the first anchor that covers it; None where there is none yet."""
    entry = Entry.objects.filter(kind="run", subject=subject, place=place).order_by("seq").first()
    anchor = anchor_after(entry.seq) if entry else None
    return (entry, anchor) if entry and anchor else None


def seal_of(subject: str, place: int) -> dict[str, Any] | None:
    """What a print says of it: the entry and the anchor, without the way from one to the other."""
    found = place_of(subject, place)
    return {"entry": _entry_data(found[0]), "anchor": anchor_data(found[1], plant())} if found else None


def proof_of(subject: str, place: int) -> dict[str, Any] | None:
    """What shows, by itself, that an event of a run stands in the journal: also each entry between, which are thousands where an anchor is of the day."""
    found = place_of(subject, place)
    if found is None:
        return None
    entry, anchor = found
    before = Entry.objects.filter(seq=entry.seq - 1).values_list("link", flat=True).first()
    path = Entry.objects.filter(seq__gt=entry.seq, seq__lte=anchor.seq).order_by("seq").values_list("content", flat=True)
    return {"previous": before or "0" * 64, "entry": _entry_data(entry), "path": list(path), "anchor": anchor_data(anchor, plant())}


def _entry_data(entry: Entry) -> dict[str, Any]:
    return {k: getattr(entry, k) for k in ("seq", "at", "kind", "subject", "place", "digest", "body")}


def written_anchors(places: Sequence[Path]) -> list[tuple[Path, dict[str, Any]]]:
    """The newest anchor file of each folder, where there is one that can be read."""
    out = []
    for folder in places:
        for path in sorted(folder.glob(f"*{SURNAME}"), reverse=True)[:1] if folder.is_dir() else []:
            try:
                out.append((path, json.loads(path.read_text(encoding="utf-8"))))
            except (OSError, ValueError):
                continue
    return out
