"""A field of a dataset."""

from __future__ import annotations

from typing import Any

from django.db import models

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.stored import as_json, lookup_of


class Field(models.Model):
    """One column as a dataset presents it. The columns are those of `FieldSpec`."""

    dataset = models.ForeignKey("workshop.Dataset", models.CASCADE, related_name="fields")
    place = models.PositiveIntegerField()
    name = models.CharField(max_length=255)
    label = models.CharField(max_length=120)
    kind = models.CharField(max_length=20)
    type_text = models.CharField(max_length=255, blank=True)
    width = models.PositiveIntegerField(default=120)
    nullable = models.BooleanField(default=True)
    required = models.BooleanField(default=False)
    read_only = models.BooleanField(default=False)
    hidden = models.BooleanField(default=False)
    numbered = models.BooleanField(default=False)
    computed = models.BooleanField(default=False)
    default = models.TextField(null=True, blank=True)
    length = models.PositiveIntegerField(null=True, blank=True)
    precision = models.PositiveIntegerField(null=True, blank=True)
    scale = models.PositiveIntegerField(null=True, blank=True)
    storage = models.CharField(max_length=20, blank=True)
    help = models.CharField(max_length=300, blank=True)
    format = models.CharField(max_length=80, blank=True)
    align = models.CharField(max_length=8, blank=True)
    picture = models.CharField(max_length=80, blank=True)
    pattern = models.CharField(max_length=300, blank=True)
    text_check = models.CharField(max_length=20, blank=True)
    initial = models.TextField(blank=True)
    required_when = models.TextField(blank=True)
    read_only_when = models.TextField(blank=True)
    conditional_formats = models.JSONField(default=list, blank=True)
    formula = models.TextField(blank=True)
    outside = models.BooleanField(default=False)
    lookup = models.JSONField(null=True, blank=True)

    class Meta:
        ordering = ["place"]
        constraints = [models.UniqueConstraint(fields=["dataset", "name"], name="field_name")]

    # typed_in is said by a grid's column, not by a dataset.
    PROPERTIES = tuple(name for name in FieldSpec.__dataclass_fields__ if name != "typed_in")

    @classmethod
    def columns_of(cls, spec: FieldSpec) -> dict[str, Any]:
        """The columns of a spec as they are kept."""
        kept = {name: getattr(spec, name) for name in cls.PROPERTIES}
        kept["lookup"] = as_json(spec.lookup) if spec.lookup else None
        kept["conditional_formats"] = [list(conditional_format) for conditional_format in spec.conditional_formats]
        return kept

    def to_spec(self) -> FieldSpec:
        properties = {name: getattr(self, name) for name in self.PROPERTIES}
        properties["lookup"] = lookup_of(self.lookup)
        properties["conditional_formats"] = tuple(
            (conditional_format[0], conditional_format[1]) for conditional_format in self.conditional_formats
        )
        return FieldSpec(**properties)
