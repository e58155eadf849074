"""The definition of a dataset survives being kept: what is read again is what was given."""

from dataclasses import fields as parts_of

from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase

from enlace.core.dataset import DatasetSpec, FieldSpec, RuleSpec
from enlace.core.model.dataset import LookupSpec
from enlace.workshop.models import Connection, Dataset, Project

NAMES = ("id", "name", "flag", "built", "tons")
texts = st.text("abc d'\"<é", max_size=12)


@st.composite
def field(draw, name: str) -> FieldSpec:
    kind = draw(st.sampled_from(("text", "longtext", "whole", "decimal", "date", "yesno")))
    choices = draw(st.lists(st.tuples(st.sampled_from("abc"), texts), max_size=2))
    return FieldSpec(
        name,
        draw(texts) or name,
        kind,
        width=draw(st.integers(20, 900)),
        nullable=draw(st.booleans()),
        required=draw(st.booleans()),
        read_only=draw(st.booleans()),
        hidden=draw(st.booleans()),
        length=draw(st.none() | st.integers(1, 99)),
        scale=draw(st.none() | st.integers(0, 9)),
        help=draw(texts),
        storage=draw(st.sampled_from(("", "any", "uuid"))),
        conditional_formats=tuple(
            draw(st.lists(st.tuples(st.just("id > 1"), st.sampled_from(("good", "bad row"))), max_size=2))
        ),
        lookup=LookupSpec(choices=tuple(choices)) if choices else None,
    )


@st.composite
def datasets(draw) -> DatasetSpec:
    several = [draw(field(name)) for name in NAMES]
    rules = draw(
        st.lists(
            st.builds(
                RuleSpec,
                st.just("id > 0"),
                texts,
                texts,
                st.sampled_from(("error", "warning")),
                st.lists(st.sampled_from(NAMES), max_size=2, unique=True).map(tuple),
                st.sampled_from(("always", "new", "save")),
            ),
            max_size=3,
        )
    )
    return DatasetSpec(
        "vessel",
        tuple(several),
        key=("id",),
        rules=tuple(rules),
        uniques=(("name", "flag"),),
        compare=draw(st.sampled_from(("edited", "all", "version"))),
        version=draw(st.sampled_from(("", "tons"))),
        order=tuple(draw(st.permutations(NAMES))),
        sorted_by=tuple(draw(st.lists(st.tuples(st.sampled_from(NAMES), st.booleans()), max_size=2))),
        row_condition=draw(st.sampled_from(("", "id > 2"))),
    )


class Kept(TestCase):
    @settings(max_examples=60)
    @given(datasets())
    def test_spec_stored_spec(self, spec: DatasetSpec):
        project = Project.objects.create(name="P")
        connection = Connection.objects.create(project=project, name="C", parameters={"path": "/nowhere"})
        again = Dataset.make(connection, spec, "D").to_spec()
        twice = Dataset.make(connection, again, "E").to_spec()
        for part in parts_of(DatasetSpec):
            if part.name in ("fields", "extra"):
                continue
            self.assertEqual(getattr(again, part.name), getattr(spec, part.name), part.name)
            self.assertEqual(getattr(twice, part.name), getattr(again, part.name), part.name)
        self.assertEqual(again.by_name, spec.by_name)
        self.assertEqual({f.name for f in twice.extra}, {f.name for f in again.extra})
