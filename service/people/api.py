"""Who is signed in; signing in and out."""

from django.conf import settings
from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest
from ninja import Router, Schema
from ninja.utils import check_csrf

from nibble_core.errors import NibbleError
from people.throttle import AT_ONCE, SIGN_INS

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


class FromElsewhere(NibbleError):
    """Asked by a page that is not ours."""

    code = "from-elsewhere"


FROM_ELSEWHERE = ("This was not asked by a page of this Nibble.", "Reload the page, then try again.")


class TooManyTries(NibbleError):
    code = "too-many-tries"


def _session(request: HttpRequest) -> Session:
    return Session(signed_in=request.user.is_authenticated, name=request.user.get_username(), demo=settings.DEMO)


@router.get("", auth=None, response=Session, operation_id="session")
def session(request: HttpRequest) -> Session:
    return _session(request)


@router.post("", auth=None, response=Session, operation_id="sign_in")
def sign_in(request: HttpRequest, body: SignIn) -> Session:
    if check_csrf(request) is not None:
        raise FromElsewhere(*FROM_ELSEWHERE)
    address = request.META.get("REMOTE_ADDR", "")
    if not SIGN_INS.lets_in(body.name, address):
        raise TooManyTries("There were too many tries.", "Wait a minute, then try again.")
    with AT_ONCE:
        user = authenticate(request, username=body.name, password=body.password)
    if user is None:
        raise NotKnown("That name and password do not belong together.", "Try again, or ask who set Nibble up.")
    SIGN_INS.worked(body.name, address)
    login(request, user)
    return _session(request)


@router.delete("", response=Session, operation_id="sign_out")
def sign_out(request: HttpRequest) -> Session:
    logout(request)
    return _session(request)
