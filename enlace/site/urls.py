"""All addresses of the site."""

from django.conf import settings
from django.contrib.auth.views import LogoutView
from django.urls import include, path

from enlace.accounts.views import SignIn, account, end_session
from enlace.workshop.connection_views import unlock

from . import views

handler400 = views.bad_request
handler403 = views.forbidden
handler404 = views.not_found
handler500 = views.server_error

urlpatterns = [
    path("", views.home, name="home"),
    path("sign-in/", SignIn.as_view(), name="sign-in"),
    path("account/", account, name="account"),
    path("account/session/<int:number>/end", end_session, name="session-end"),
    path("sign-out/", LogoutView.as_view(), name="sign-out"),
    path("unlock/<int:connection_id>/", unlock, name="unlock"),
    path("workshop/", include("enlace.composer.urls")),
    path("workshop/", include("enlace.folder.urls")),
    path("workshop/", include("enlace.workshop.urls")),
    path("desk/", include("enlace.desk.urls")),
]
if settings.DEMO:
    urlpatterns.append(path("demo/", include("demo.panel.urls")))
