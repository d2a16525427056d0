"""Figures of the measured work, each beside that of the run before; at the end what got slower.

`make bench` begins a run with `--begin` and ends it with `--end`. Figures stay in `.bench/`, which
is not kept with the code: they hold for one machine.
"""

import json
import sys
from pathlib import Path

FOLDER = Path(__file__).parent.parent / ".bench"
NOW, BEFORE = FOLDER / "now.json", FOLDER / "before.json"
SLOWER = 0.15  # a share of the figure before
Figures = dict[str, tuple[float, str]]


def say(name: str, value: float, unit: str, more: str = "") -> None:
    """One figure, printed and kept; `unit` with a stroke before a time (`rows/s`) is the better the
    higher, every other the better the lower."""
    figures, before = _read(NOW), _read(BEFORE)
    figures[name] = (value, unit)
    FOLDER.mkdir(exist_ok=True)
    NOW.write_text(json.dumps(figures, indent=1))
    known = before.get(name)
    beside = f" (before {known[0]:,.1f}, {change(known[0], value):+.0%})" if known else ""
    sys.stdout.write(f"{name:<58} {value:10,.1f} {unit}{beside} {more}\n")
    sys.stdout.flush()


def change(before: float, now: float) -> float:
    return (now - before) / before if before else 0.0


def slower(before: Figures, now: Figures) -> list[str]:
    """Lines for what is worse than before by more than a sixth or so."""
    found = []
    for name, (value, unit) in now.items():
        if name not in before or not before[name][0]:
            continue
        by = change(before[name][0], value)
        if (-by if "/s" in unit else by) > SLOWER:
            was = before[name][0]
            found.append(f"slower: {name}, {was:,.1f} to {value:,.1f} {unit} ({by:+.0%})")
    return found


def _read(file: Path) -> Figures:
    if not file.exists():
        return {}
    known = json.loads(file.read_text())
    return {name: (float(value), unit) for name, (value, unit) in known.items()}


def main() -> None:
    if "--begin" in sys.argv and NOW.exists():
        NOW.replace(BEFORE)
    if "--end" in sys.argv:
        lines = slower(_read(BEFORE), _read(NOW)) if BEFORE.exists() else []
        sys.stdout.write("\n".join(lines or ["Nothing got slower by more than 15 %."]) + "\n")


if __name__ == "__main__":
    main()
