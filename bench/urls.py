"""The site's addresses and the hand-written view's."""

from django.urls import include, path

from .handwritten import rows

urlpatterns = [path("handwritten", rows), path("", include("enlace.site.urls"))]
