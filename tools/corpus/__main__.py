"""`python -m tools.corpus`: play the runs anew, older revisions by the core of their own commit, and write what today's core makes of them.

`--expect` leaves the runs as they are and writes only what is expected of them: do it after a change that was meant, and read the difference.
`--play NAME` prints one run; it is what older cores are asked for.
"""

from __future__ import annotations

import argparse
import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent.parent


def main() -> None:
    """Make the corpus."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--expect", action="store_true")
    parser.add_argument("--play")
    asked = parser.parse_args()
    if asked.play:
        _print(asked.play)
        return
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings.test")
    import django

    django.setup()
    if not asked.expect:
        _play_all()
    from apps.records.tests.corpus import CORPUS, write_expected

    for file in sorted(CORPUS.glob("*.run.json")):
        write_expected(file)


def _print(name: str) -> None:
    from tools.corpus.scenarios import ALL

    number, found = next((n, s) for n, s in enumerate(ALL, 1) if s.name == name)
    played = found.play()
    if played.method.revision != found.revision:
        raise AssertionError(f"{name}: played at revision {played.method.revision}")
    json.dump(played.export(number), sys.stdout, indent=1, ensure_ascii=False)


def _play_all() -> None:
    from apps.records.tests.corpus import CORPUS
    from tools.corpus.scenarios import ALL

    CORPUS.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        for s in ALL:
            file = CORPUS / f"{s.name}.run.json"
            if file.exists():
                continue  # a run that is there stays as it was played
            core = _core_of(s.commit, Path(folder)) if s.commit else ROOT
            path = os.pathsep.join((str(core), str(ROOT)))
            env = {**os.environ, "PYTHONPATH": path, "PYTHONSAFEPATH": "1"}
            told = subprocess.run(
                [sys.executable, "-m", "tools.corpus", "--play", s.name], env=env, capture_output=True, text=True, check=False
            )
            if told.returncode:
                sys.exit(f"{s.name}: {told.stderr}")
            file.write_text(told.stdout + "\n")
            print(s.name)


def _core_of(commit: str, folder: Path) -> Path:
    """The core as it stood at a commit, taken out of the history."""
    out = folder / commit
    if not out.exists():
        out.mkdir()
        packed = subprocess.run(["git", "archive", commit, "metrology"], cwd=ROOT, capture_output=True, check=True).stdout
        subprocess.run(["tar", "-x", "-C", str(out)], input=packed, check=True)
    return out


if __name__ == "__main__":
    main()
