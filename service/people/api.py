"""Who is signed in; signing in and out."""

from django.conf import settings
from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest
from ninja import Router, Schema

from nibble_core.errors import NibbleError

router = Router(tags=["session"])


class SignIn(Schema):
    name: str
    password: str


class Session(Schema):
    signed_in: bool
    name: str
    demo: bool


class NotKnown(NibbleError):
    code = "not-known"


def _session(request: HttpRequest) -> Session:
    return Session(signed_in=request.user.is_authenticated, name=request.user.get_username(), demo=settings.DEMO)


@router.get("", auth=None, response=Session, operation_id="session")
def session(request: HttpRequest) -> Session:
    return _session(request)


@router.post("", auth=None, response=Session, operation_id="sign_in")
def sign_in(request: HttpRequest, body: SignIn) -> Session:
    user = authenticate(request, username=body.name, password=body.password)
    if user is None:
        raise NotKnown("That name and password do not belong together.", "Try again, or ask who set Nibble up.")
    login(request, user)
    return _session(request)


@router.delete("", response=Session, operation_id="sign_out")
def sign_out(request: HttpRequest) -> Session:
    logout(request)
    return _session(request)
