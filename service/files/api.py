"""Pictures for the screen, and the client's own files as downloads that no browser opens as a page."""

from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from ninja import Router

from files import blobs, pictures

router = Router(tags=["files"])


@router.get("/pictures/{key}", operation_id="picture")
def picture(request: HttpRequest, key: str) -> HttpResponse:
    try:
        response = HttpResponse(pictures.place(key).read_bytes(), content_type="image/png")
    except FileNotFoundError as error:
        raise Http404 from error
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response


def as_download(sha256: str, name: str, content_type: str = "application/octet-stream") -> FileResponse:
    """A stored file as an attachment, under a policy that lets nothing in it run."""
    try:
        response = FileResponse(
            blobs.path(sha256).open("rb"), as_attachment=True, filename=name, content_type=content_type
        )
    except FileNotFoundError as error:
        raise Http404 from error
    response["Content-Security-Policy"] = "default-src 'none'; sandbox"
    response["X-Content-Type-Options"] = "nosniff"
    return response
