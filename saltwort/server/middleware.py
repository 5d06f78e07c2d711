"""What every answer carries, and the one thing no request may do: come from another site."""

from collections.abc import Callable
from urllib.parse import urlsplit

from django.http import HttpRequest, HttpResponse, JsonResponse

POLICY = (
    "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; "
    "frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
)
SAFE_METHODS = ("GET", "HEAD", "OPTIONS")


def same_origin_only(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Refuse writes sent by another site's page. There is no login to protect; the user's project is."""

    def answer(request: HttpRequest) -> HttpResponse:
        host = request.get_host()  # for static files too: raises DisallowedHost for a name that is not ours
        if request.method not in SAFE_METHODS and not _is_own(request.headers.get("Origin"), host):
            return JsonResponse({"detail": "Saltwort takes changes only from its own pages."}, status=403)
        response = get_response(request)
        response.headers.setdefault("Content-Security-Policy", POLICY)
        return response

    return answer


def _is_own(origin: str | None, host: str) -> bool:
    try:
        return origin is None or urlsplit(origin).netloc == host
    except ValueError:  # it is no address at all
        return False
