"""The site's addresses and the hand-written view's."""

from django.urls import include, path

from .handwritten import rows, sheet
from .handwritten_calls import calls

urlpatterns = [
    path("handwritten", rows),
    path("handwritten-sheet", sheet),
    path("handwritten-calls", calls),
    path("", include("enlace.site.urls")),
]
