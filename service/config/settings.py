"""Settings of the service. Everything a shop may change is an environment variable named NIBBLE_…"""

import os
import secrets
import sys
import tempfile
from pathlib import Path
from typing import NoReturn
from urllib.parse import urlsplit

ROOT = Path(__file__).resolve().parent.parent.parent
HOME = Path(os.environ.get("NIBBLE_HOME", ROOT / ".nibble"))
DEMO = os.environ.get("NIBBLE_DEMO") == "1"
DATA = Path(os.environ.get("NIBBLE_DATA", HOME / ("demo-data" if DEMO else "data")))


def _cannot_write(error: OSError) -> NoReturn:
    """End in one sentence: without its data folder there is nothing to serve."""
    sys.exit(f"nibble: the data folder {DATA} cannot be written: {error.strerror}. Make room, then start again.")


try:
    DATA.mkdir(parents=True, exist_ok=True)
    DATA.chmod(0o700)  # whoever else uses this machine has no business here
except OSError as error:
    _cannot_write(error)


def _secret(name: str) -> str:
    """Made once and kept beside the data, readable by its owner only; never half-written, however full the disk."""
    file = DATA / name
    kept = file.read_text() if file.exists() else ""
    if kept:
        return kept
    handle, draft = tempfile.mkstemp(dir=DATA)
    with os.fdopen(handle, "w") as out:
        out.write(secrets.token_urlsafe(48))
        out.flush()
        os.fsync(handle)
    os.replace(draft, file)
    return file.read_text()


try:
    SECRET_KEY = _secret("secret")
    DEMO_KEY = _secret("demo-key") if DEMO else ""
except OSError as error:
    _cannot_write(error)
DEBUG = False
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]", *filter(None, os.environ.get("NIBBLE_HOSTS", "").split(","))]
ROOT_URLCONF = "config.urls"
WSGI_APPLICATION = "config.wsgi.application"
INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "people",
    "files",
    "library",
    "jobs",
    "production",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "config.middleware.content_policy",
    "config.middleware.api_answers",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "people.middleware.demo_sign_in",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
]
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "DIRS": [ROOT / "web" / "dist"]}]
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA / "nibble.sqlite3",
        "CONN_MAX_AGE": None,  # a thread keeps its connection: opening one takes as long as a question
        "OPTIONS": {
            "transaction_mode": "IMMEDIATE",
            "timeout": 20,
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL; PRAGMA busy_timeout=20000; "
            "PRAGMA foreign_keys=ON;",
        },
        "TEST": {"NAME": DATA / "test.sqlite3"},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
USE_TZ = True
TIME_ZONE = os.environ.get("TZ") or "UTC"
STATIC_URL = "/static/"
STATICFILES_DIRS = [ROOT / "web" / "dist"] if (ROOT / "web" / "dist").exists() else []
WHITENOISE_USE_FINDERS = True
WHITENOISE_AUTOREFRESH = False


def WHITENOISE_IMMUTABLE_FILE_TEST(path: str, url: str) -> bool:
    """Vite names what it builds after its content."""
    return "/assets/" in url


PROXY = os.environ.get("NIBBLE_PROXY", "").rstrip("/")
"""The address at which a proxy with TLS on this machine lets others in, such as https://nibble.shop.example."""
if PROXY:
    ALLOWED_HOSTS.append(urlsplit(PROXY).hostname or "")
    CSRF_TRUSTED_ORIGINS = [PROXY]
    SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
    SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = True
CSRF_FAILURE_VIEW = "config.api.from_elsewhere"
SESSION_ENGINE = "django.contrib.sessions.backends.cached_db"  # asked for with every call
SESSION_COOKIE_SAMESITE = "Strict"
SESSION_COOKIE_AGE = 60 * 60 * 24 * 14
CSRF_COOKIE_SAMESITE = "Strict"
X_FRAME_OPTIONS = "DENY"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
DATA_UPLOAD_MAX_MEMORY_SIZE = 20_000_000
FILE_UPLOAD_MAX_MEMORY_SIZE = 5_000_000
MOST_UPLOAD_BYTES = 250_000_000

BLOBS = DATA / "files"
RESULTS = DATA / "results"
PICTURES = DATA / "pictures"
MOST_RESULT_BYTES = 2_000_000_000
MOST_PICTURE_BYTES = 1_000_000_000
MOST_MEMORY_BYTES = 200_000_000  # of results held by each process
QUEUE = DATA / "queue.sqlite3"

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "filters": {"seldom": {"()": "config.seldom.Seldom"}},
    "handlers": {
        "console": {"class": "logging.StreamHandler", "filters": ["seldom"]},
        "nowhere": {"class": "logging.NullHandler"},
    },
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {
        "django.request": {"level": "ERROR"},
        "django.security": {"handlers": ["nowhere"], "propagate": False},
    },  # refusals are answered in words, not logged
}
TEST_RUNNER = "config.testing.CountingRunner"
