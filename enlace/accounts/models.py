"""People: builders and operators."""

from django.contrib.auth.models import AbstractUser
from django.db import models


class Person(AbstractUser):
    """Somebody who signs in. Builders wire forms and use them; operators use them."""

    class Role(models.TextChoices):
        BUILDER = "builder", "Builder"
        OPERATOR = "operator", "Operator"

    role = models.CharField(max_length=12, choices=Role.choices, default=Role.OPERATOR)
    demo = models.BooleanField(default=False)  # one of the demo's people, who are there in the demo only

    @property
    def is_builder(self) -> bool:
        return self.role == self.Role.BUILDER

    @property
    def shown_name(self) -> str:
        return self.get_full_name() or self.username


class PersonSession(models.Model):
    """Where somebody is signed in. key: of the session."""

    person = models.ForeignKey(Person, models.CASCADE, related_name="sessions")
    key = models.CharField(max_length=40, unique=True)
    address = models.CharField(max_length=64, blank=True)
    browser = models.CharField(max_length=200, blank=True)
    began = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-began"]
