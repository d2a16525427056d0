"""Measure the code: what grew too large, too wide, too tangled or too vague; `--check` fails where
a limit is passed.

A limit that is not yet where it should be says so beside it and may only be lowered.
"""

import ast
import re
import sys
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from pathlib import Path

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src"
WIDTH = 100
OTHERS = {"vendor", "built", "assets"}
MOST_IN_FOLDER, MOST_LINES, MOST_FUNCTION_LINES = 15, 500, 50


@dataclass(frozen=True)
class Measure:
    """What was found, worst first, and how many of it are let pass. `aim` is where the limit is to
    come to."""

    name: str
    found: list[str]
    limit: int
    aim: int = 0

    @property
    def passes(self) -> bool:
        return len(self.found) <= self.limit


@cache
def sources() -> list[Path]:
    """Our modules, without the steps of the migrations, which stay as they were written."""
    return sorted(path for path in SOURCE.rglob("*.py") if "versions" not in path.parts)


@cache
def tree_of(path: Path) -> ast.Module:
    return ast.parse(path.read_text())


def dotted(path: Path) -> str:
    parts = path.relative_to(SOURCE).with_suffix("").parts
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


def imports_of(path: Path, known: set[str]) -> set[str]:
    """Our own modules that a module imports, at its head or within a function; not those for type
    checkers only."""
    tree = tree_of(path)
    found: set[str] = set()
    for node in _without_typing(tree):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names if alias.name in known}
        elif isinstance(node, ast.ImportFrom) and node.module:
            named = {f"{node.module}.{alias.name}" for alias in node.names}
            found |= named & known
            if named - known and node.module in known:
                found.add(node.module)
    return found


def _without_typing(tree: ast.AST) -> Iterator[ast.AST]:
    for node in ast.iter_child_nodes(tree):
        if isinstance(node, ast.If) and ast.unparse(node.test).endswith("TYPE_CHECKING"):
            continue
        yield node
        yield from _without_typing(node)


def circles(graph: dict[str, set[str]]) -> list[str]:
    """Groups of nodes that lead back to themselves (Tarjan 1972), as `a, b, c`."""
    index: dict[str, int] = {}
    low: dict[str, int] = {}
    stack: list[str] = []
    found: list[str] = []

    def visit(node: str) -> None:
        index[node] = low[node] = len(index)
        stack.append(node)
        for other in graph.get(node, ()):
            if other not in index:
                visit(other)
                low[node] = min(low[node], low[other])
            elif other in stack:
                low[node] = min(low[node], index[other])
        if low[node] == index[node]:
            group = stack[stack.index(node) :]
            del stack[stack.index(node) :]
            if len(group) > 1:
                found.append(", ".join(sorted(group)))

    sys.setrecursionlimit(10_000)
    for node in graph:
        if node not in index:
            visit(node)
    return found


def full_folders() -> list[str]:
    count = Counter(path.parent for path in sources() if path.name != "__init__.py")
    return [
        f"{folder.relative_to(SOURCE)}: {n} modules"
        for folder, n in count.most_common()
        if n > MOST_IN_FOLDER
    ]


def long_modules() -> list[str]:
    sizes = {path: len(path.read_text().splitlines()) for path in sources()}
    return [
        f"{path.relative_to(ROOT)}: {n} lines"
        for path, n in sorted(sizes.items(), key=lambda s: -s[1])
        if n > MOST_LINES
    ]


def functions() -> list[tuple[int, str]]:
    found = []
    for path in sources():
        for node in ast.walk(tree_of(path)):
            if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef) and node.end_lineno:
                found.append(
                    (
                        node.end_lineno - node.lineno + 1,
                        f"{path.relative_to(ROOT)}:{node.lineno} {node.name}",
                    )
                )
    return sorted(found, reverse=True)


def wide_lines(*suffixes: str) -> list[str]:
    return [
        f"{path.relative_to(ROOT)}:{number}"
        for folder in ("src", "tests", "scripts", "bench")
        for path in sorted((ROOT / folder).rglob("*"))
        if path.suffix in suffixes and not {"vendor", "built"} & set(path.parts)
        for number, line in enumerate(path.read_text().splitlines(), 1)
        if len(line) > WIDTH
    ]


def words(word: str) -> list[str]:
    """Where a word stands as a name or a comment in our modules."""
    return [
        f"{path.relative_to(ROOT)}:{number}"
        for path in sources()
        for number, line in enumerate(path.read_text().splitlines(), 1)
        for _ in range(line.count(word))
    ]


STATE_ASKED = re.compile(
    r"\b(state|level|verdict)(\.value)? *(==|!=|in|not in) *(\"[a-z ]+\"|\([^)]*\)|\[[^]]*\])"
)


def states_compared() -> list[str]:
    """Templates that compare a state instead of asking a question of it."""
    return [
        f"{path.relative_to(ROOT)}:{number}"
        for path in sorted((ROOT / "src").rglob("*.html"))
        for number, line in enumerate(path.read_text().splitlines(), 1)
        for _ in STATE_ASKED.finditer(line)
    ]


def any_types() -> list[str]:
    return [
        f"{path.relative_to(ROOT)}:{node.lineno}"
        for path in sources()
        for node in ast.walk(tree_of(path))
        if isinstance(node, ast.Name) and node.id == "Any"
    ]


def untyped_operations() -> list[str]:
    """Operations of the JSON interface whose good answer has no schema of its own."""
    from sedge.app import build_app

    found = []
    for path, operations in build_app().openapi()["paths"].items():
        for method, operation in operations.items():
            good = [
                answer
                for status, answer in operation["responses"].items()
                if status.startswith("2")
            ]
            content = [kind for answer in good for kind in answer.get("content", {}).values()]
            if not all(_says_something(kind.get("schema", {})) for kind in content):
                found.append(f"{method.upper()} {path}")
    return found


def _says_something(schema: dict[str, object]) -> bool:
    return (
        bool(set(schema) - {"title", "additionalProperties"}) and schema.get("type") != "object"
    ) or "properties" in schema


def lines_of(folder: str, *endings: str) -> int:
    """Lines of our own files below a folder; what others wrote, and what was put together from
    ours, does not count."""
    return sum(
        len(path.read_text().splitlines())
        for ending in endings
        for path in (ROOT / folder).rglob(f"*{ending}")
        if not OTHERS & set(path.parts)
    )


def tests_missing() -> list[str]:
    """Nothing where tests are a quarter of all lines, templates, styles and scripts included; else
    how many of their lines are missing."""
    tests = lines_of("tests", ".py")
    others = sum(lines_of(folder, ".py") for folder in ("src", "bench", "scripts"))
    others += lines_of("src", ".html", ".css", ".js")
    missing = -(-others // 3) - tests
    return [f"{missing:,} lines, beside {tests:,} of {tests + others:,}"] if missing > 0 else []


def measures() -> list[Measure]:
    known = {dotted(path) for path in sources()}
    graph = {dotted(path): imports_of(path, known) for path in sources()}
    every = functions()
    long = [f"{where}: {n} lines" for n, where in every if n > MOST_FUNCTION_LINES]
    return [
        Measure("import circles", circles(graph), 0),
        Measure(f"folders of more than {MOST_IN_FOLDER} modules", full_folders(), 0),
        Measure(f"modules of more than {MOST_LINES} lines", long_modules(), 0),
        Measure(
            f"functions of more than {MOST_FUNCTION_LINES} lines",
            long,
            len(every) // 100,
            len(every) // 100,
        ),
        Measure(f"lines of more than {WIDTH} columns", wide_lines(".py", ".js", ".css"), 0),
        Measure(f"lines of templates of more than {WIDTH} columns", wide_lines(".html"), 0),
        Measure("calls that the formatter is kept from", words("# fmt: skip"), 0),
        Measure("states compared in templates", states_compared(), 0),
        Measure("Any", any_types(), 400),
        Measure("operations without a schema of their answer", untyped_operations(), 0),
        Measure("lines of tests missing to a quarter of all", tests_missing(), 0),
    ]


def main() -> int:
    found = measures()
    for one in found:
        aim = "" if one.limit == one.aim else f", to come to {one.aim}"
        print(f"{len(one.found):6} {one.name} (at most {one.limit}{aim})")
        shown = (
            one.found
            if "--all" in sys.argv
            else one.found[: 12 if not one.passes or "--some" in sys.argv else 0]
        )
        for line in shown:
            print(f"       {line}")
    return 1 if "--check" in sys.argv and not all(one.passes for one in found) else 0


if __name__ == "__main__":
    sys.exit(main())
