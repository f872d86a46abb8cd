"""The one address of the stream's process."""

from django.urls import path

from sortis_server.live.stream import stream

urlpatterns = [path("api/stream", stream)]
