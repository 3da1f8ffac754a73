"""An evidence package: a record with its certificate, its readings, the plant's public key, and what checks them without this product."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from datetime import datetime
from pathlib import Path

from apps.journal import verify
from apps.journal.keys import public_key
from apps.records.certificate import make_certificate
from apps.records.selectors import export_csv, export_json
from apps.runs.models import Run
from apps.runs.trust import trust_of
from metrology.run.events import Event

READ_ME = """{label}: certificate.pdf for people, readings.csv for a spreadsheet, record.json with every event, and verify.py, which checks it all
with nothing but Python:

    python3 verify.py THIS-FILE.zip --key THE-PLANT'S-PUBLIC-KEY

Take the key from the plant, not from this package: {key} stands in it for your convenience only.
"""


def make_package(run: Run, events: list[Event], now: datetime) -> bytes:
    """The package as a zip file."""
    trust = trust_of(run)
    files = {
        "record.json": json.dumps(export_json(run, events, trust), ensure_ascii=False, indent=1).encode(),
        "certificate.pdf": make_certificate(run, events, now, trust),
        "readings.csv": export_csv(run, events, now, trust).encode("utf-8-sig"),
        "verify.py": Path(verify.__file__).read_bytes(),
        "public-key.txt": f"{public_key()}\n".encode(),
        "READ-ME.txt": READ_ME.format(label=run.label, key=public_key()).encode(),
    }
    listed = {name: hashlib.sha256(data).hexdigest() for name, data in files.items()}
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as package:
        for name, data in files.items():
            package.writestr(name, data)
        package.writestr("manifest.json", json.dumps({"format": "verify-loop-evidence", "version": 1, "files": listed}, indent=1))
    return out.getvalue()
