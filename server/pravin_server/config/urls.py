"""Addresses: the API, and the one page of the application for everything else."""

from django.urls import path, re_path

from pravin_server.common.pages import application_page
from pravin_server.config.api import api

handler500 = "pravin_server.config.faults.answer_500"

urlpatterns = [
    path("api/", api.urls),
    re_path(r"^(?!static/).*$", application_page),
]
