"""Pictures for the screen, and the client's own files as downloads that no browser opens as a page."""

from typing import Any

from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from ninja import File, Router, Schema, UploadedFile

from files import blobs, pictures
from files.models import ShopFont
from files.reader import READER
from nibble_core.errors import FileTooLarge
from nibble_core.formats.profiles import LARGEST_PROFILE
from nibble_core.text.fonts import LARGEST_FONT

router = Router(tags=["files"])


@router.get("/pictures/{key}", operation_id="picture")
def picture(request: HttpRequest, key: str) -> HttpResponse:
    try:
        response = HttpResponse(pictures.content(key), content_type="image/png")
    except FileNotFoundError as error:
        raise Http404 from error
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response


class FontOut(Schema):
    name: str
    sha256: str


@router.get("/fonts", response=list[FontOut], operation_id="fonts")
def fonts(request: HttpRequest) -> Any:
    """The fonts that the shop has added."""
    return list(ShopFont.objects.all())


@router.post("/fonts", response=FontOut, operation_id="add_font")
def add_font(request: HttpRequest, file: File[UploadedFile]) -> Any:
    """A font file of the shop's own, opened in a guarded child before it is kept."""
    if (file.size or 0) > LARGEST_FONT:
        raise FileTooLarge(f"“{file.name}” is over 20 MB.", "Send the plain .ttf or .otf of one style.")
    content = file.read()
    name = READER.font_name(content)
    return ShopFont.objects.get_or_create(sha256=blobs.keep(content), defaults={"name": name})[0]


class ProfileOut(Schema):
    """space: “RGB”, “CMYK” or “grey”. prints: whether it describes a printer."""

    sha256: str
    name: str
    space: str
    prints: bool


@router.post("/profiles", response=ProfileOut, operation_id="add_profile")
def add_profile(request: HttpRequest, file: File[UploadedFile]) -> Any:
    """A colour profile for a stock, looked at in a guarded child before it is kept."""
    if (file.size or 0) > LARGEST_PROFILE:
        raise FileTooLarge(f"“{file.name}” is over 20 MB.", "Send the .icc file of the printer and stock.")
    content = file.read()
    found = READER.profile(content)
    return {"sha256": blobs.keep(content), "name": found.name, "space": found.space, "prints": found.prints}


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
