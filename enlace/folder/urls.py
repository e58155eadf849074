"""Addresses of a project's states."""

from django.urls import path

from . import views

urlpatterns = [
    path("project/<int:project_id>/states", views.states, name="project-states"),
    path("project/<int:project_id>/states/<int:state_id>", views.compared, name="project-compared"),
    path("project/<int:project_id>/archive", views.archive, name="project-archive"),
]
