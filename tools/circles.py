"""Fails on modules that import each other in a circle, imports inside functions included:
tools/circles.py."""

from __future__ import annotations

import ast
import sys
from pathlib import Path

import networkx

TOP = Path(__file__).resolve().parent.parent / "src"


def module_of(path: Path) -> str:
    return ".".join(path.relative_to(TOP).with_suffix("").parts).removesuffix(".__init__")


def imports_of(path: Path, known: set[str]) -> set[str]:
    """The modules that a file imports, wherever in it; those that only a type checker sees are left
    out."""
    tree = ast.parse(path.read_text("utf8"))
    package = module_of(path) if path.name == "__init__.py" else module_of(path).rpartition(".")[0]
    only_types = {
        inner
        for node in ast.walk(tree)
        if isinstance(node, ast.If) and "TYPE_CHECKING" in ast.unparse(node.test)
        for inner in ast.walk(node)
    }
    found: set[str] = set()
    for node in ast.walk(tree):
        if node in only_types:
            continue
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            above = (
                package.split(".")[: len(package.split(".")) - node.level + 1] if node.level else []
            )
            base = ".".join([*above, *([node.module] if node.module else [])])
            named = {f"{base}.{alias.name}" for alias in node.names}
            # From a package a module of it, or else something that the package itself holds.
            found |= (named & known) or {base}
            found |= {base} if not named <= known else set()
    return found & known


def main() -> int:
    paths = {module_of(path): path for path in TOP.rglob("*.py")}
    graph = networkx.DiGraph()
    for name, path in paths.items():
        graph.add_edges_from(
            (name, other) for other in imports_of(path, set(paths)) if other != name
        )
    circles = [
        sorted(group) for group in networkx.strongly_connected_components(graph) if len(group) > 1
    ]
    for group in circles:
        print("import each other in a circle:", *group, sep="\n    ")
    if not circles:
        print(f"{len(paths)} modules, no circle")
    return bool(circles)


if __name__ == "__main__":
    sys.exit(main())
