"""In which order names that depend on each other are worked out, and the loops among them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence


def in_order(graph: Mapping[str, Sequence[str]]) -> tuple[list[str], list[list[str]]]:
    """Dependencies before dependents, and the loops.

    Tarjan's algorithm (R. Tarjan, Depth-first search and linear graph algorithms, SIAM J. Comput.
    1, 1972), without recursion. Its components come out in the order that evaluation needs.
    """
    index: dict[str, int] = {}
    low: dict[str, int] = {}
    on_stack: set[str] = set()
    stack: list[str] = []
    order: list[str] = []
    loops: list[list[str]] = []
    for root in graph:
        if root in index:
            continue
        work: list[tuple[str, int]] = [(root, 0)]
        while work:
            node, position = work.pop()
            if position == 0:
                index[node] = low[node] = len(index)
                stack.append(node)
                on_stack.add(node)
            descended = False
            for offset, below in enumerate(graph[node][position:], position):
                if below not in index:
                    work += [(node, offset + 1), (below, 0)]
                    descended = True
                    break
                if below in on_stack:
                    low[node] = min(low[node], index[below])
            if descended:
                continue
            if work:
                parent = work[-1][0]
                low[parent] = min(low[parent], low[node])
            if low[node] == index[node]:
                component: list[str] = []
                while True:
                    member = stack.pop()
                    on_stack.discard(member)
                    component.append(member)
                    if member == node:
                        break
                order += component
                if len(component) > 1 or node in graph[node]:
                    loops.append(_loop(component, graph))
    return order, loops


def _loop(component: list[str], graph: Mapping[str, Sequence[str]]) -> list[str]:
    """One way round through a component, along the uses."""
    members = set(component)
    path = [min(component)]
    while True:
        following = [name for name in graph[path[-1]] if name in members]
        fresh = following[0]
        if fresh in path:
            return path[path.index(fresh) :]
        path.append(fresh)
