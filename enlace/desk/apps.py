"""The Django application."""

from typing import Any

from django.apps import AppConfig
from django.db.models.signals import post_delete


class DeskConfig(AppConfig):
    name = "enlace.desk"
    label = "desk"

    def ready(self) -> None:
        from enlace.workshop.details import taken_off
        from enlace.workshop.models import Detail

        post_delete.connect(forget_part, sender=Detail)
        taken_off.connect(forget_part, sender=Detail)


def forget_part(instance: Any, **_: Any) -> None:
    """What is pending in a detail goes with the detail, and with it the steps that could bring it back."""
    from .drafts import DraftStore
    from .models import Draft, DraftRecord

    concerned = DraftRecord.objects.filter(draft__form_id=instance.form_id, part=instance.name)
    for draft in Draft.objects.filter(records__in=concerned).distinct():
        store = DraftStore(draft.person, draft.form, part=instance.name, practice=draft.practice)
        gone = concerned.filter(draft=draft).values_list("part", "record")
        store.after_save({}, list(gone))
