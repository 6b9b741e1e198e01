"""Where everything is: the API below /api/, the web app everywhere else."""

from django.urls import include, path, re_path

from server.config.web_app import web_app

urlpatterns = [
    path("api/", include("server.networks.api.urls")),
    re_path(r"^(?!api/|assets/).*$", web_app),
]
