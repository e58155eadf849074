"""People: builders and operators."""

from django.contrib.auth.models import AbstractUser
from django.db import models


class Person(AbstractUser):
    """Somebody who signs in. Builders wire forms and use them; operators use them."""

    class Role(models.TextChoices):
        BUILDER = "builder", "Builder"
        OPERATOR = "operator", "Operator"

    role = models.CharField(max_length=12, choices=Role.choices, default=Role.OPERATOR)

    @property
    def is_builder(self) -> bool:
        return self.role == self.Role.BUILDER

    @property
    def shown_name(self) -> str:
        return self.get_full_name() or self.username
