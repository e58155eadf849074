"""The drawn map of a schema: nothing lies over another, every reference is a line, any schema is laid out."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from enlace.core.model.catalog import Reference
from enlace.core.server.schema_map import around, best_known, schema_map

NAMES = [f"table_{n}" for n in range(14)]


@st.composite
def schemas(draw):
    tables = draw(st.lists(st.sampled_from(NAMES), min_size=1, unique=True))
    ends = draw(st.lists(st.tuples(st.sampled_from(tables), st.sampled_from(tables)), max_size=20))
    return tables, [Reference("", a, ("x",), b, ("id",)) for a, b in ends]


class Maps(unittest.TestCase):
    @given(schemas())
    def test_any_schema_is_laid_out_without_overlap(self, schema):
        tables, references = schema
        made = schema_map(tables, references, set(tables))
        self.assertEqual([box.name for box in made.boxes], tables)
        self.assertEqual(len(made.lines), len(references))
        for i, box in enumerate(made.boxes):
            self.assertTrue(
                box.x >= 0 and box.x + box.width <= made.width + 1 and box.y + box.height <= made.height + 1
            )
            for other in made.boxes[i + 1 :]:
                apart = box.x + box.width <= other.x or other.x + other.width <= box.x
                self.assertTrue(apart or box.y + box.height <= other.y or other.y + other.height <= box.y, (box, other))

    def test_around_a_table(self):
        chain = [Reference("", NAMES[n], ("x",), NAMES[n + 1], ("id",)) for n in range(4)]
        self.assertEqual(around(NAMES[2], chain, 1), set(NAMES[1:4]))
        self.assertEqual(around(NAMES[0], chain, 2), set(NAMES[:3]))
        self.assertEqual(schema_map(NAMES, chain, around(NAMES[2], chain, 1)).left_out, 11)
        self.assertEqual(best_known([*chain, Reference("", NAMES[9], ("x",), NAMES[2], ("id",))]), NAMES[2])
