"""Settings. What differs between installations lies in the folder var/, written by ./start.

`ROUTREL_VAR` names another folder. In it: secrets/database.json (port, user, password, name of the
database), secrets/django-key, cache/.
"""

import json
import os
from pathlib import Path

from routrel.control.packets.hops import Verdict

ROOT = Path(__file__).resolve().parent.parent.parent
VAR = Path(os.environ.get("ROUTREL_VAR", ROOT / "var"))


def _secret(name: str) -> str:
    path = VAR / "secrets" / name
    try:
        return path.read_text().strip()
    except OSError as error:
        raise SystemExit(
            f"{path} cannot be read ({error.strerror}); run ./start or ./test once"
        ) from error


SECRET_KEY = _secret("django-key")
DEBUG = False
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]"]

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "procrastinate.contrib.django",
    "rest_framework",
    "drf_spectacular",
    "server.networks",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
]
ROOT_URLCONF = "server.config.urls"
WSGI_APPLICATION = "server.config.wsgi.application"

_database = json.loads(_secret("database.json"))
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "HOST": "127.0.0.1",
        "PORT": _database["port"],
        "USER": _database["user"],
        "PASSWORD": _database["password"],
        "NAME": os.environ.get("ROUTREL_DATABASE", _database["name"]),
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
CACHES = {
    "default": {
        "BACKEND": "django.core.cache.backends.filebased.FileBasedCache",
        "LOCATION": VAR / "cache" / "django",
    }
}

PASSWORD_HASHERS = ["django.contrib.auth.hashers.Argon2PasswordHasher"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
SECURE_CONTENT_TYPE_NOSNIFF = True

LANGUAGE_CODE = "en-gb"
USE_I18N = False
USE_TZ = True
TIME_ZONE = "UTC"

STATIC_URL = "/assets/"
WEB_APP = ROOT / "web" / "dist"
WHITENOISE_ROOT = WEB_APP
DATA_UPLOAD_MAX_MEMORY_SIZE = 256 * 1024 * 1024
DATA_UPLOAD_MAX_NUMBER_FILES = 20_000
DATA_UPLOAD_MAX_NUMBER_FIELDS = 40_000

REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": ["rest_framework.authentication.SessionAuthentication"],
    "DEFAULT_PERMISSION_CLASSES": ["rest_framework.permissions.IsAuthenticated"],
    "DEFAULT_RENDERER_CLASSES": ["rest_framework.renderers.JSONRenderer"],
    "DEFAULT_PARSER_CLASSES": [
        "rest_framework.parsers.JSONParser",
        "rest_framework.parsers.MultiPartParser",
    ],
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "DEFAULT_THROTTLE_RATES": {"login": "10/minute"},
    "EXCEPTION_HANDLER": "server.networks.api.errors.handle",
    "UNAUTHENTICATED_USER": None,
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Routrel",
    "DESCRIPTION": "Networks, revisions, imports, flows and routes. Every answer is a function "
    "of a lens.",
    "VERSION": "1",
    "SERVE_INCLUDE_SCHEMA": False,
    "COMPONENT_SPLIT_REQUEST": True,
    "ENUM_NAME_OVERRIDES": {
        "RoleEnum": "server.networks.models.Role.choices",
        "VerdictEnum": [(verdict.value, verdict.value) for verdict in Verdict],
    },
}

#: The computed states kept on disk, least recently used first out.
STATE_CACHE = VAR / "cache" / "states"
STATE_CACHE_BYTES = 1024 * 1024 * 1024

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
}
