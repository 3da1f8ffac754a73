"""What the product is made of: a bill of materials (CycloneDX), the licences, and whether known problems could be looked up. `make sbom`, `make audit`."""

from __future__ import annotations

import argparse
import json
import subprocess
import sys
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parent.parent
OUT = ROOT / "var" / "sbom"
BIN = Path(sys.executable).parent


def licence_of(component: dict[str, Any]) -> str:
    """The licence of a component as its bill has it; 'not said' where there is none."""
    told = [
        entry.get("expression") or entry.get("license", {}).get("id") or entry.get("license", {}).get("name")
        for entry in component.get("licenses", [])
    ]
    return ", ".join(sorted({str(t).splitlines()[0][:60] for t in told if t})) or "not said"


def table(bills: dict[str, dict[str, Any]]) -> str:
    """All components with version and licence, a line each."""
    rows = [(name, c["name"], c.get("version", ""), licence_of(c)) for name, bill in bills.items() for c in bill.get("components", [])]
    return "".join(
        f"{where}\t{name}\t{version}\t{licence}\n" for where, name, version, licence in sorted(rows, key=lambda r: (r[0], r[1].lower()))
    )


def _said(command: list[str], cwd: Path) -> subprocess.CompletedProcess[str]:
    return subprocess.run(command, cwd=cwd, capture_output=True, text=True, check=False)


def sbom() -> int:
    """Write both bills and the list of licences into var/sbom."""
    OUT.mkdir(parents=True, exist_ok=True)
    server = _said([str(BIN / "cyclonedx-py"), "environment", sys.executable, "--of", "JSON"], ROOT)
    page = _said(["npm", "sbom", "--sbom-format", "cyclonedx", "--omit", "dev"], ROOT / "frontend")
    bills = {}
    for name, made in (("server", server), ("page", page)):
        try:
            bills[name] = json.loads(made.stdout)
        except ValueError:
            print(f"No bill of the {name}: {(made.stderr or made.stdout).strip()[-300:]}")
            return 1
        (OUT / f"{name}.cdx.json").write_text(json.dumps(bills[name], indent=1))
    (OUT / "licences.tsv").write_text(table(bills))
    counted = ", ".join(f"{len(b.get('components', []))} of the {n}" for n, b in bills.items())
    print(f"{counted}: {OUT.relative_to(ROOT)}/server.cdx.json, page.cdx.json, licences.tsv")
    return 0


def audit() -> int:
    """Ask what is known of the packages; says so where nobody could be asked."""
    bad = 0
    for name, command, cwd in (
        ("server", [str(BIN / "pip-audit"), "-r", "requirements.txt", "--progress-spinner", "off", "--no-deps"], ROOT),
        ("page", ["npm", "audit", "--omit", "dev"], ROOT / "frontend"),
    ):
        try:
            done = _said(command, cwd)
        except FileNotFoundError:
            print(f"{name}: NOT CHECKED, {Path(command[0]).name} is not installed here (pip install pip-audit).")
            bad = bad or 2
            continue
        said = (done.stdout + done.stderr).strip()
        if done.returncode == 0:
            print(f"{name}: nothing is known against what is used.")
        elif "ulnerab" in done.stdout:
            print(f"{name}:\n{said}")
            bad = 1
        else:
            print(
                f"{name}: NOT CHECKED, the list of known problems can't be reached from here. {said.splitlines()[-1][:200] if said else ''}"
            )
            bad = bad or 2
    return bad


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("what", choices=("sbom", "audit"))
    sys.exit(sbom() if parser.parse_args().what == "sbom" else audit())


if __name__ == "__main__":
    main()
