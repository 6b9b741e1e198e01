"""Where everything is: the API below /api/, the web app everywhere else."""

from django.urls import include, path, re_path

from server.config.web_app import web_app

urlpatterns = [
    path("api/", include("server.networks.api.urls")),
    re_path(r"^(?!api/|assets/).*$", web_app),
]

handler400 = "server.networks.api.errors.bad_request"
handler403 = "server.networks.api.errors.forbidden"
handler404 = "server.networks.api.errors.not_found"
handler500 = "server.networks.api.errors.fault"
