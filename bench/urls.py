"""The site's addresses and the hand-written view's."""

from django.urls import include, path

from .handwritten import rows, sheet

urlpatterns = [path("handwritten", rows), path("handwritten-sheet", sheet), path("", include("enlace.site.urls"))]
