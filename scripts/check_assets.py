"""The vendored front-end files are exactly the released ones, what is put together is of today's
scripts and styles, and nothing is fetched from elsewhere at run time."""

import hashlib
import json
import re
import sys
from pathlib import Path

from scripts import bundle

ROOT = Path(__file__).parent.parent
VENDOR = ROOT / "src/sedge/web/static/vendor"
MANIFEST = VENDOR / "manifest.json"


def digest(file: Path) -> str:
    return hashlib.sha256(file.read_bytes()).hexdigest()


def faults() -> list[str]:
    known: dict[str, str] = json.loads(MANIFEST.read_text())["files"]
    present = {
        str(f.relative_to(VENDOR)): digest(f)
        for f in sorted(VENDOR.rglob("*"))
        if f.is_file() and f != MANIFEST
    }
    found = [f"{name}: not in the manifest" for name in present.keys() - known.keys()]
    found += [f"{name}: missing" for name in known.keys() - present.keys()]
    found += [
        f"{name}: changed" for name in known.keys() & present.keys() if known[name] != present[name]
    ]
    then, now = json.loads(bundle.MANIFEST.read_text()), bundle.digests()
    found += [
        f"{name}: not as it was put together; run make assets"
        for name in sorted(then.keys() | now.keys())
        if then.get(name) != now.get(name)
    ]
    for file in (ROOT / "src/sedge/web").rglob("*"):
        if file.suffix in {".html", ".css", ".js"} and not {"vendor", "built"} & set(file.parts):
            found += [
                f"{file.name}: fetches {url}"
                for url in re.findall(
                    r"""(?:src|href|url)\s*[=(]\s*["']?(https?://[^"')\s]+)""", file.read_text()
                )
            ]
    return found


def main() -> int:
    found = faults()
    for line in found:
        print(line)
    print(
        "assets: as released"
        if not found
        else "assets: restore the files named above, or renew the manifest on purpose"
    )
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())
