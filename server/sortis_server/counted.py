"""Requests that were answered, counted by the pattern of their address."""

from django.http import HttpRequest
from prometheus_client import Counter, Histogram

METHODS = ("GET", "POST", "PUT", "DELETE", "HEAD", "OPTIONS", "PATCH")
BUCKETS = (0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10, 20)
REQUESTS = Counter("sortis_requests", "Requests that were answered.", ["method", "route", "status"])
SECONDS = Histogram(
    "sortis_request_seconds", "From request to answer.", ["method", "route"], buckets=BUCKETS
)


def count_request(request: HttpRequest, status: int, seconds: float) -> None:
    """Note one answer, by the pattern of its address."""
    method = request.method if request.method in METHODS else "other"
    route = request.resolver_match.route if request.resolver_match else ""
    REQUESTS.labels(method, route, str(status)).inc()
    SECONDS.labels(method, route).observe(seconds)
