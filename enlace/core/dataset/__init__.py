"""What a form works with: fields over a table, in a total order, read by windows."""

from ..model.dataset import DatasetSpec, FieldSpec, RuleSpec

__all__ = ["DatasetSpec", "FieldSpec", "RuleSpec"]
