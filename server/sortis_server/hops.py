"""Who asks, where proxies stand in between: as many as are known are believed, none beyond them."""

import contextlib
import ipaddress
from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponse


class TrustedHops:
    """Set the address of whoever asked to what the outermost trusted proxy saw.

    Each proxy adds the address it was asked from at the end; what stands further in front was
    written by whoever asked, and may be anything.
    """

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        hops = settings.TRUSTED_HOPS
        told = request.META.get("HTTP_X_FORWARDED_FOR", "")
        seen = [one.strip() for one in told.split(",") if one.strip()]
        if hops and len(seen) >= hops:
            with contextlib.suppress(ValueError):
                request.META["REMOTE_ADDR"] = str(ipaddress.ip_address(seen[-hops]))
        return self.get_response(request)
