"""Addresses of the panel."""

from django.urls import path

from . import views

urlpatterns = [
    path("", views.page, name="demo"),
    path("colleague", views.colleague, name="demo-colleague"),
    path("away", views.away, name="demo-away"),
]
