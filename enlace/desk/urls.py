"""Addresses of the desk."""

from django.urls import path

from . import (
    actions,
    asking_views,
    journal_views,
    kept_views,
    lists,
    page_views,
    parameters,
    pictures,
    save_views,
    totals,
    views,
)

# What can be done on a form, and in the same way on the details of one of its records.
ACTS = (
    ("", page_views.page, "work"),
    ("rows", views.rows, "rows"),
    ("count", views.count, "count"),
    ("at", views.at, "at"),
    ("record", views.record, "record"),
    ("arrange", views.arrange, "arrange"),
    ("tally", page_views.tally, "tally"),
    ("branches", page_views.branches, "branches"),
    ("pulse", views.pulse, "pulse"),
    ("values", asking_views.values, "values"),
    ("exactly", asking_views.exactly, "exactly"),
    ("find", asking_views.find, "find"),
    ("edit", views.edit, "edit"),
    ("preview", views.preview, "preview"),
    ("empty", views.empty, "empty"),
    ("choices", lists.choices, "choices"),
    ("add-to", lists.add_to, "add-to"),
    ("bring", lists.bring, "bring"),
    ("new", views.new, "new"),
    ("remove", views.remove, "remove"),
    ("takes", views.takes, "takes"),
    ("keep", views.discard_changes, "keep"),
    ("choose", views.choose, "choose"),
    ("create-again", views.create_again, "create-again"),
    ("later", views.later, "later"),
    ("undo", views.undo, "undo"),
    ("redo", views.redo, "redo"),
    ("totals", totals.show, "totals"),
    ("groups", totals.groups, "groups"),
    ("totals/choose", totals.choose, "total-choose"),
    ("picture", pictures.picture, "picture"),
    ("save", save_views.save, "save"),
    ("rehearse", save_views.rehearse, "rehearse"),
    ("review", save_views.review, "review"),
    ("drop", save_views.drop, "drop"),
    ("discard", save_views.discard, "discard"),
)

urlpatterns = [
    path("", page_views.start, name="desk"),
    path("journal/", journal_views.entries, name="journal"),
    path("journal/<int:entry_id>/", journal_views.entry, name="journal-entry"),
    path("journal/<int:entry_id>/take-back", journal_views.undo_entry, name="take-back"),
    path("<int:form_id>/given", parameters.give, name="given"),
    path("<int:form_id>/kept", kept_views.act, name="kept"),
    path("<int:form_id>/action/<int:action_id>", actions.run, name="action-run"),
    *(path(f"<int:form_id>/{end}", view, name=name) for end, view, name in ACTS),
    *(path(f"<int:form_id>/detail/<slug:detail>/<str:master>/{e}", v, name=f"detail-{n}") for e, v, n in ACTS),
]
