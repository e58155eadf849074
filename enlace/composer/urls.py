"""Addresses of the composer."""

from django.urls import path

from . import views

urlpatterns = [
    path("form/<int:form>/compose", views.compose, name="compose"),
    path("form/<int:form>/compose/act", views.act, name="compose-act"),
    path("project/<int:project>/wiring", views.wiring, name="wiring"),
]
