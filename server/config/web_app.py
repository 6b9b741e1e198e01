"""Serves the web app's page for every address of the app, so that deep links work."""

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.views.decorators.csrf import ensure_csrf_cookie

__all__ = ["web_app"]


@ensure_csrf_cookie
def web_app(request: HttpRequest) -> HttpResponse:
    """The built index.html; it is small and never cached, unlike the hashed assets."""
    page = settings.WEB_APP / "index.html"
    if not page.is_file():
        return HttpResponse("The web app is not built; run ./start", status=503)
    return HttpResponse(
        page.read_bytes(),
        headers={"Cache-Control": "no-cache", "Content-Security-Policy": _POLICY},
    )


_POLICY = (
    "default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; "
    "font-src 'self' data:; worker-src 'self' blob:; frame-ancestors 'none'; "
    "base-uri 'self'; form-action 'self'; object-src 'none'"
)
