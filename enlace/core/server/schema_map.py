"""A picture of a schema: tables as boxes, references as lines, laid out in layers by grandalf."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass

from grandalf.graphs import Edge, Graph, Vertex
from grandalf.layouts import SugiyamaLayout

from ..model.catalog import Reference

CHARACTER, BESIDE, HEIGHT = 8.5, 28, 34  # pixels of a box: for each letter of its name, beside it, its height
ACROSS, DOWN, APART = 36, 64, 48  # pixels between boxes of a layer, between layers, between parts that nothing ties
ROW = 1600  # pixels: parts stand beside each other up to this width
ROUNDS = 6  # of grandalf's ordering, which untangles crossings
MOST_WHOLE = 30  # tables: more are shown around one of them


@dataclass(frozen=True)
class Box:
    """A table. x, y: its upper left corner, in pixels."""

    name: str
    x: float
    y: float
    width: float
    height: float = HEIGHT

    @property
    def text_x(self) -> float:
        """Where its name begins."""
        return self.x + BESIDE / 2

    @property
    def text_y(self) -> float:
        """The line on which its name stands."""
        return self.y + self.height / 2 + 5


@dataclass(frozen=True)
class Line:
    """A reference, from the box of its table to that of its target; path: as SVG has it."""

    reference: Reference
    path: str


@dataclass(frozen=True)
class SchemaMap:
    """boxes and lines within width and height, in pixels. left_out: how many tables are not shown."""

    boxes: tuple[Box, ...]
    lines: tuple[Line, ...]
    width: float
    height: float
    left_out: int = 0


def around(table: str, references: Iterable[Reference], steps: int) -> set[str]:
    """The tables that a table reaches over at most so many references, in either direction; itself among them."""
    near = {table}
    several = list(references)
    for _ in range(steps):
        near |= {end for r in several for end in (r.table, r.target) if r.table in near or r.target in near}
    return near


def best_known(references: Iterable[Reference]) -> str:
    """The table that most references lead to or come from; "" where there are none."""
    counts: dict[str, int] = {}
    for reference in references:
        for end in {reference.table, reference.target}:
            counts[end] = counts.get(end, 0) + 1
    return max(sorted(counts), key=lambda name: counts[name], default="")


def schema_map(tables: Sequence[str], references: Sequence[Reference], wanted: Collection[str]) -> SchemaMap:
    """The picture of some tables and of the references between them."""
    names = [name for name in tables if name in wanted]
    within = [r for r in references if r.table in wanted and r.target in wanted]
    vertices = {name: _vertex(name) for name in names}
    ties = {(r.target, r.table) for r in within if r.table != r.target and r.table in vertices and r.target in vertices}
    graph = Graph(list(vertices.values()), [Edge(vertices[a], vertices[b]) for a, b in sorted(ties)])
    boxes: dict[str, Box] = {}
    x = y = lowest = widest = 0.0
    for part in sorted(graph.C, key=lambda part: -len(part.sV)):
        placed = _laid_out(part)
        width, height = _extent(placed)
        if x and x + width > ROW:
            x, y = 0.0, lowest + APART
        for box in placed:
            boxes[box.name] = Box(box.name, box.x + x, box.y + y, box.width)
        x, lowest, widest = x + width + APART, max(lowest, y + height), max(widest, x + width)
    lines = tuple(
        Line(r, _path(boxes[r.table], boxes[r.target])) for r in within if r.table in boxes and r.target in boxes
    )
    return SchemaMap(tuple(boxes[name] for name in names), lines, widest, lowest, len(tables) - len(names))


class _View:
    """What grandalf asks of a vertex: its size, and where it puts it (the middle)."""

    def __init__(self, width: float) -> None:
        self.w, self.h = width, HEIGHT
        self.xy = (0.0, 0.0)


def _vertex(name: str) -> Vertex:
    vertex = Vertex(name)
    vertex.view = _View(len(name) * CHARACTER + BESIDE)
    return vertex


def _laid_out(part: object) -> list[Box]:
    """The boxes of a connected part of a graph, from (0, 0) on."""
    layout = SugiyamaLayout(part)
    layout.xspace, layout.yspace = ACROSS, DOWN
    layout.init_all(optimize=True)
    layout.draw(ROUNDS)
    views = [(vertex.data, vertex.view) for vertex in part.sV]  # type: ignore[attr-defined]
    left = min(view.xy[0] - view.w / 2 for _, view in views)
    top = min(view.xy[1] - view.h / 2 for _, view in views)
    return [Box(name, view.xy[0] - view.w / 2 - left, view.xy[1] - view.h / 2 - top, view.w) for name, view in views]


def _extent(boxes: Sequence[Box]) -> tuple[float, float]:
    return max(box.x + box.width for box in boxes), max(box.y + box.height for box in boxes)


def _path(table: Box, target: Box) -> str:
    """From the upper edge of a table to the lower edge of its target; a loop at the side where both are one."""
    if table.name == target.name:
        x, y = table.x + table.width, table.y + table.height / 2
        return f"M{x:.0f} {y - 8:.0f} C{x + 26:.0f} {y - 14:.0f}, {x + 26:.0f} {y + 14:.0f}, {x:.0f} {y + 8:.0f}"
    x1, x2 = table.x + table.width / 2, target.x + target.width / 2
    below = table.y >= target.y + target.height
    y1 = table.y if below else table.y + table.height
    y2 = target.y + target.height if below else target.y
    middle = (y1 + y2) / 2
    return f"M{x1:.0f} {y1:.0f} C{x1:.0f} {middle:.0f}, {x2:.0f} {middle:.0f}, {x2:.0f} {y2:.0f}"
