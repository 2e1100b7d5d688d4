"""The page of the application: built by Vite, served as it is."""

from django.conf import settings
from django.http import FileResponse, HttpRequest, HttpResponse, HttpResponseBase
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_safe


@require_safe
@ensure_csrf_cookie
def application_page(request: HttpRequest) -> HttpResponseBase:
    """index.html for every address that is not the API's; never cached, so that a new build is seen at once."""
    page = settings.STATIC_ROOT / "app" / "index.html"  # beside the assets it names, whatever is being built
    if not page.exists():
        return HttpResponse("The web application is not built. Run ./pravin start.", status=503)
    response = FileResponse(page.open("rb"), content_type="text/html; charset=utf-8")
    response["Cache-Control"] = "no-cache"
    return response
