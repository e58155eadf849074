"""Rows in groups on each server: lines, at any place and with any groups open, against the rows put together here."""

from __future__ import annotations

import datetime
from dataclasses import replace
from decimal import Decimal
from itertools import groupby

from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from enlace.core.dataset.group_draft import Drafted, laid_over
from enlace.core.dataset.group_leaves import ADDS, different_of, leaves_of
from enlace.core.dataset.grouping import (
    GroupTerm,
    Layout,
    Leaf,
    NewLines,
    Opened,
    grouped_rows,
    key_of_group,
    laid_out,
    numbers_of,
    read_together,
    ways_of,
)
from enlace.core.dataset.totals import Total
from enlace.core.dataset.window import Rows
from enlace.core.model.dataset import FieldSpec
from enlace.core.problem import Problem
from enlace.core.server.dialects.sqlite_functions import folded
from tests.servers import OnServer, on_each_server

LEAVES = st.lists(
    st.tuples(st.sampled_from("abc"), st.integers(0, 2), st.integers(1, 5), st.integers(0, 3)),
    min_size=1,
    max_size=12,
    unique_by=lambda t: t[:2],
)


def expanded(leaves: list[Leaf], levels: int, opened: Opened) -> list[object]:
    """All lines one by one, put together without any halving: keys of groups, numbers of rows."""
    lines: list[object] = []
    numbered, first = [], 0
    for leaf in leaves:
        numbered += [(leaf.values, first + i) for i in range(leaf.count)] + [(leaf.values, new) for new in leaf.new]
        first += leaf.count

    def walk(rows: list, depth: int) -> None:
        if depth == levels:
            lines.extend(number for _, number in rows)
            return
        for values, several in groupby(rows, key=lambda row: row[0][: depth + 1]):
            inside = list(several)
            lines.append(key_of_group(values))
            if opened.holds(key_of_group(values)):
                walk(inside, depth + 1)

    walk(numbered, 0)
    return lines


def flat(layout: Layout, start: int, size: int) -> list[object]:
    lines: list[object] = []
    for piece in layout.window(start, size):
        if isinstance(piece, NewLines):
            lines += piece.ids
        else:
            lines += [piece.key] if not isinstance(piece, tuple) else range(piece[0], piece[0] + piece[1])
    return lines


class Layouts(SimpleTestCase):
    """The lines, without a server."""

    @settings(max_examples=300, deadline=None)
    @given(LEAVES, st.booleans(), st.sets(st.integers(0, 30)), st.integers(0, 40), st.integers(1, 20))
    def test_any_window_of_any_groups(self, told, all_open, turned, start, size):
        leaves = [
            Leaf((letter, number), count, (), tuple(f"n{letter}{number}-{i}" for i in range(new)))
            for letter, number, count, new in sorted(told)
        ]
        keys = [key_of_group(leaf.values[:depth]) for leaf in leaves for depth in (1, 2)]
        opened = Opened(all_open, frozenset(key for i, key in enumerate(keys) if i in turned))
        layout, lines = laid_out(leaves, 2, opened), expanded(leaves, 2, opened)
        self.assertEqual(layout.total, len(lines))
        self.assertEqual(flat(layout, start, size), lines[start : start + size])
        for at, line in enumerate(lines):
            self.assertEqual(layout.row_at(at), line if isinstance(line, int) else None)
            is_new = isinstance(line, str) and line.startswith("n")
            self.assertEqual(layout.new_at(at), line if is_new else None)
            if is_new:
                self.assertEqual(layout.new_lines[line], at)
            if isinstance(line, int):
                self.assertEqual(layout.line_of(line), at)
        pieces = layout.window(start, size)
        rows = {at for piece in pieces if isinstance(piece, tuple) for at in range(piece[0], piece[0] + piece[1])}
        read = [at for first, count in read_together(pieces, 8) for at in range(first, first + count)]
        self.assertEqual(len(read), len(set(read)))
        self.assertLessEqual(rows, set(read))
        for head in layout.heads:
            inside = [leaf for leaf in leaves if leaf.values[: head.level + 1] == head.values]
            self.assertEqual(head.count, sum(leaf.count for leaf in inside))
            if not head.open:
                self.assertEqual(layout.line_of(head.first), layout.starts[layout.heads.index(head)])
                hidden = {layout.new_lines[new] for leaf in inside for new in leaf.new}
                self.assertLessEqual(hidden, {layout.starts[layout.heads.index(head)]})


class Grouping(OnServer):
    def setUp(self):
        super().setUp()
        for n in range(60):
            day = datetime.date(2025, 11, 20) + datetime.timedelta(n * 3)
            self.place.run(f"UPDATE shipment SET day = '{day}', pieces = {n} WHERE id = {n + 1}")
        self.place.run("UPDATE shipment SET day = NULL WHERE id IN (5, 9)")
        self.place.run("UPDATE agent SET name = 'águas do Sul' WHERE id = 1")
        self.dataset = self.bench("shipment").dataset
        self.rows = Rows.of(self.spec, self.dataset, [("pieces", True)])

    def met(self, *terms: GroupTerm):
        """(values of the group, ids of its rows in order) as the windows of the lines tell them, all open."""
        rows = grouped_rows(self.rows, terms)
        leaves = leaves_of(rows, terms)
        layout = laid_out(leaves, len(terms), Opened(all=True))
        groups: list = []
        for piece in layout.window(0, layout.total):
            if isinstance(piece, tuple):
                groups[-1][1].extend(row.id for row in rows.window(*piece))
            else:
                groups.append((piece.values, []))
        return groups, {row.id: row for row in rows.window(0, 10_000)}

    def value(self, row, name):
        return row.values[[f.name for f in self.dataset.fields].index(name)]

    def test_each_row_stands_in_its_group(self):
        count = self.rows.count()
        for terms, part in (
            ((GroupTerm("day", "month"),), lambda row: day and (day.year * 100 + day.month) if (day := self.day(row)) else None),
            ((GroupTerm("day", "year", True),), lambda row: day.year if (day := self.day(row)) else None),
            ((GroupTerm("pieces", "10"),), lambda row: None if self.value(row, "pieces") is None else self.value(row, "pieces") // 10 * 10),
            ((GroupTerm("agent_id"),), lambda row: row.shown[0][0]),
        ):  # fmt: skip
            with self.subTest(terms):
                groups, by_id = self.met(*terms)
                self.assertEqual(sum(len(ids) for _, ids in groups), count)
                keys = []
                for values, ids in groups:
                    told = {part(by_id[i]) for i in ids}
                    self.assertEqual({None if v is None else v if isinstance(v, str) else int(v) for v in told},
                                     {None if values[0] is None else values[0] if isinstance(values[0], str) else int(values[0])})  # fmt: skip
                    keys.append(values[0])
                    pieces = [-1 if (p := self.value(by_id[i], "pieces")) is None else p for i in ids]
                    if terms[0].field == "agent_id":
                        self.assertEqual(
                            [p for p in pieces if p >= 0], sorted((p for p in pieces if p >= 0), reverse=True)
                        )
                self.assertEqual(len(keys), len(set(keys)), "a group stands in two places")

    def day(self, row):
        value = self.value(row, "day")
        return datetime.date.fromisoformat(value) if isinstance(value, str) else value

    def test_letters_however_the_server_sorts(self):
        agents = self.bench("agent").dataset
        self.rows = Rows.of(self.spec, agents)
        self.dataset = agents
        groups, by_id = self.met(GroupTerm("name", "letter"))
        letters = [values[0] for values, ids in groups if ids]
        self.assertEqual(len(letters), len(set(letters)))
        for values, ids in groups:
            for i in ids:
                self.assertEqual(folded(self.value(by_id[i], "name")[0]), folded(values[0]))

    def test_levels_sums_and_changes(self):
        terms = (GroupTerm("agent_id"), GroupTerm("day", "year"))
        rows = grouped_rows(self.rows, terms)
        adds = [Total("pieces", function) for function in ADDS] + [Total("day", "max")]
        leaves = leaves_of(rows, terms, adds)
        layout = laid_out(leaves, 2, Opened(), numbers_of(leaves, 2, adds, different_of(rows, terms, adds)))
        self.assertEqual({head.level for head in layout.heads}, {0})
        everything = self.rows.window(0, 10_000)
        pieces = [self.value(row, "pieces") for row in everything]
        shown = dict.fromkeys(head.values[0] for head in layout.heads)
        by_agent = {name: [row for row in everything if row.shown[0][0] == name] for name in shown}
        for head in layout.heads:
            there = [p for row in by_agent[head.values[0]] if (p := self.value(row, "pieces")) is not None]
            average = sum(there) / len(there) if there else None
            wanted = [
                len(there),
                len(set(there)),
                sum(there) if there else None,
                average,
                min(there, default=None),
                max(there, default=None),
            ]
            told = [None if value is None else float(value) for value in head.numbers.added[:6]]
            self.assertEqual(
                [None if v is None else round(v, 9) for v in told], [None if v is None else round(v, 9) for v in wanted]
            )
            days = [str(day) for row in by_agent[head.values[0]] if (day := self.value(row, "day")) is not None]
            self.assertEqual(str(head.numbers.added[6]), max(days))
        self.assertEqual(sum(head.count for head in layout.heads), len(pieces))
        self.place.run("DELETE FROM shipment WHERE id = 3")
        self.assertEqual(sum(leaf.count for leaf in leaves_of(rows, terms, adds)), len(pieces) - 1)

    def test_a_draft_is_counted_in_as_if_it_were_saved(self):
        adds = [Total("pieces", function) for function in ADDS] + [Total("day", "min"), Total("agent_id", "distinct")]
        by_id = {row.id: row for row in self.rows.window(0, 10_000)}
        names = [field.name for field in self.dataset.fields]
        other = next(self.value(row, "agent_id") for row in by_id.values() if self.value(row, "agent_id") != 1)
        changes = {
            "i4": {"pieces": 4000}, "i7": {"day": datetime.date(2031, 5, 6)}, "i8": {"agent_id": other, "pieces": 12},
            "i5": {"day": datetime.date(2025, 12, 1)}, "i10": {"day": None},
        }  # fmt: skip
        drafted = [
            Drafted(id, "edited", {**dict(zip(names, by_id[id].values, strict=True)), **now})
            for id, now in changes.items()
        ]
        drafted += [Drafted("i11", "removed", {}), Drafted("i9999", "edited", {"pieces": 1})]  # the last one is gone
        whole = dict(zip(names, by_id["i20"].values, strict=True))
        drafted.append(Drafted("n1", "new", {**whole, "id": None, "day": datetime.date(2032, 1, 2), "pieces": 8}))
        told: list = []
        placed: list = []
        several = [
            (GroupTerm("agent_id"), GroupTerm("day", "year")), (GroupTerm("day", "month", True),), (GroupTerm("pieces", "10"),),
            (GroupTerm("day"), GroupTerm("agent_id")),
        ]  # fmt: skip
        for terms in several:
            rows = grouped_rows(self.rows, terms)
            before = leaves_of(rows, terms, adds)
            leaves, numbers = laid_over(rows, terms, adds, before, drafted)
            self.assertEqual([replace(leaf, new=()) for leaf in leaves if leaf.count], before)
            [own] = [leaf for leaf in leaves if leaf.new]
            self.assertEqual(own.new, ("n1",))
            placed.append(own.values)
            layout = laid_out(leaves, len(terms), Opened(all=True), numbers)
            self.assertEqual(len({head.key for head in layout.heads}), len(layout.heads))
            told.append(self.plain(numbers))
        for id, now in changes.items():
            texts = ("NULL" if v is None else f"'{v}'" for v in now.values())
            said = ", ".join(f"{name} = {text}" for name, text in zip(now, texts, strict=True))
            self.place.run(f"UPDATE shipment SET {said} WHERE id = {id[1:]}")
        self.place.run("DELETE FROM shipment WHERE id = 11")
        rest = ", ".join(name for name in names if name not in ("id", "day", "pieces", "code"))
        self.place.run(
            f"INSERT INTO shipment (id, day, pieces, code, {rest}) SELECT 5001, '2032-01-02', 8, 'S-999', {rest} FROM shipment WHERE id = 20"
        )
        for terms, before, values in zip(several, told, placed, strict=True):
            rows = grouped_rows(self.rows, terms)
            leaves = leaves_of(rows, terms, adds)
            layout = laid_out(leaves, len(terms), Opened(all=True))
            line = layout.line_of(rows.position("i5001"))
            above = [head for head, at in zip(layout.heads, layout.starts, strict=True) if at < line][-1]
            self.assertEqual(list(map(str, above.values)), list(map(str, values)))
            after = numbers_of(leaves, len(terms), adds, different_of(rows, terms, adds))
            self.assertEqual(before, self.plain(after), terms)

    def plain(self, numbers):
        """What is told of groups, without what a server and a draft write differently."""

        def one(value):
            if isinstance(value, Decimal | float | int) and not isinstance(value, bool):
                return round(float(value), 6)
            return None if value is None else str(value)

        told = {tuple(map(one, values)): (n.count, [one(v) for v in n.added]) for values, n in numbers.items()}
        return {values: said for values, said in told.items() if said[0]}

    def test_what_can_t_be_grouped_is_told(self):
        for term in (GroupTerm("nothing"), GroupTerm("day", "letter"), GroupTerm("pieces", "month")):
            with self.assertRaises(Problem):
                grouped_rows(self.rows, [term])
        self.assertEqual(ways_of(FieldSpec("x", "X", "longtext")), {})
        self.assertIn("month", ways_of(FieldSpec("x", "X", "date")))


on_each_server(globals(), Grouping)
