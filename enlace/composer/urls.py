"""Addresses of the composer."""

from django.urls import path

from . import views, wiring_views

urlpatterns = [
    path("form/<int:form_id>/compose", views.compose, name="compose"),
    path("form/<int:form_id>/compose/act", views.act, name="compose-act"),
    path("form/<int:form_id>/compose/link", views.link, name="compose-link"),
    path("form/<int:form_id>/compose/repair", wiring_views.repair, name="repair"),
    path("project/<int:project_id>/wiring", wiring_views.wiring, name="wiring"),
]
