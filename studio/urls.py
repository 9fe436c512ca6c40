"""Addresses: the API, and the application for every other path, so that links and reloads always work."""

from django.urls import path, re_path

from studio.api import api
from studio.platform.page import page

urlpatterns = [path("api/", api.urls), re_path(r"^(?!api/).*$", page)]
