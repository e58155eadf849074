"""What a form works with: fields over a table, in a total order, read by windows."""

from .spec import DatasetSpec, FieldSpec, RuleSpec

__all__ = ["DatasetSpec", "FieldSpec", "RuleSpec"]
