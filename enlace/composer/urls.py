"""Addresses of the composer."""

from django.urls import path

from . import views

urlpatterns = [
    path("form/<int:form_id>/compose", views.compose, name="compose"),
    path("form/<int:form_id>/compose/act", views.act, name="compose-act"),
    path("form/<int:form_id>/compose/link", views.link, name="compose-link"),
    path("project/<int:project_id>/wiring", views.wiring, name="wiring"),
]
