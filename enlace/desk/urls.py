"""Addresses of the desk."""

from django.urls import path

from . import journal_views, pictures, views

urlpatterns = [
    path("", views.start, name="desk"),
    path("journal/", journal_views.entries, name="journal"),
    path("journal/<int:entry>/", journal_views.entry, name="journal-entry"),
    path("journal/<int:entry>/take-back", journal_views.undo_entry, name="take-back"),
    path("<int:form>/", views.page, name="work"),
    path("<int:form>/rows", views.rows, name="rows"),
    path("<int:form>/count", views.count, name="count"),
    path("<int:form>/at", views.at, name="at"),
    path("<int:form>/record", views.record, name="record"),
    path("<int:form>/review", views.review, name="review"),
    path("<int:form>/edit", views.edit, name="edit"),
    path("<int:form>/new", views.new, name="new"),
    path("<int:form>/remove", views.remove, name="remove"),
    path("<int:form>/keep", views.keep, name="keep"),
    path("<int:form>/choose", views.choose, name="choose"),
    path("<int:form>/create-again", views.create_again, name="create-again"),
    path("<int:form>/undo", views.undo, name="undo"),
    path("<int:form>/redo", views.redo, name="redo"),
    path("<int:form>/discard", views.discard, name="discard"),
    path("<int:form>/save", views.save, name="save"),
    path("<int:form>/rehearse", views.rehearse, name="rehearse"),
    path("<int:form>/picture", pictures.picture, name="picture"),
]
