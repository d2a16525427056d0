"""Puts the scripts of the pages into one file, and their styles into another, so that a page asks
for two files and not for thirty: `make assets`, after each change of one of them.

Both are committed, so that neither running nor testing needs npm; a manifest beside them says from
what they were made, and `scripts.check_assets` compares.
"""

import hashlib
import json
import subprocess
from pathlib import Path

ROOT = Path(__file__).parent.parent
STATIC = ROOT / "src/sedge/web/static"
BUILT = STATIC / "built"
MANIFEST = BUILT / "manifest.json"
ENTRIES = {"sedge.js": "desk/main.js", "sedge.css": "css/sedge.css"}
ESBUILD = "0.28.2"
TOOLS = ROOT / ".node"
OPTIONS = (
    "--bundle",
    "--minify",
    "--format=esm",
    "--target=es2022",
    "--external:*.woff2",
    "--log-level=warning",
)


def digest(file: Path) -> str:
    return hashlib.sha256(file.read_bytes()).hexdigest()


def digests() -> dict[str, str]:
    """Of everything that can go into the two files, and of themselves."""
    sources = [*(STATIC / "desk").glob("*.js"), *(STATIC / "css").glob("*.css")]
    made = [BUILT / name for name in ENTRIES]
    return {str(file.relative_to(STATIC)): digest(file) for file in sorted([*sources, *made])}


def main() -> None:
    tool = TOOLS / "node_modules/.bin/esbuild"
    if not tool.exists():
        command = ["npm", "install", "--silent", "--prefix", str(TOOLS), f"esbuild@{ESBUILD}"]
        subprocess.run(command, check=True)
    for name, entry in ENTRIES.items():
        command = [str(tool), str(STATIC / entry), f"--outfile={BUILT / name}", *OPTIONS]
        subprocess.run(command, check=True)
    MANIFEST.write_text(json.dumps(digests(), indent=1) + "\n")


if __name__ == "__main__":
    main()
