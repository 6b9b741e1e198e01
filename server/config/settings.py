"""Settings. What differs between installations lies in the folder var/, written by ./start.

`ROUTREL_VAR` names another folder. In it: secrets/database.json (port, user, password, name of the
database), secrets/django-key, cache/.
"""

import json
import os
from pathlib import Path

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
    "rest_framework",
    "drf_spectacular",
    "server.networks",
]
MIDDLEWARE = [
    "server.config.requests.NamedRequests",
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
        # Each thread keeps its connection, and looks whether it still is one before it is used.
        "CONN_MAX_AGE": None,
        "CONN_HEALTH_CHECKS": True,
        "OPTIONS": {"connect_timeout": 5, "options": "-c statement_timeout=120000"},
    }
}
SESSION_ENGINE = "server.config.sessions"
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
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
#: Built files have a name of their own for each content: browsers need never ask for them again.
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/assets/.+-[\w-]{8}\.[a-z0-9]+$"
#: Bodies other than uploads; before it, the web server looks at the sizes that are announced.
DATA_UPLOAD_MAX_MEMORY_SIZE = 4 * 1024 * 1024
DATA_UPLOAD_MAX_NUMBER_FILES = 20_000
DATA_UPLOAD_MAX_NUMBER_FIELDS = 40_000
FILE_UPLOAD_HANDLERS = ["server.networks.spool.SpoolHandler"]
CSRF_FAILURE_VIEW = "server.networks.api.errors.forbidden"

REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": [
        "server.networks.authentication.TokenAuthentication",
        "rest_framework.authentication.SessionAuthentication",
    ],
    "DEFAULT_PERMISSION_CLASSES": ["rest_framework.permissions.IsAuthenticated"],
    "DEFAULT_RENDERER_CLASSES": ["rest_framework.renderers.JSONRenderer"],
    "DEFAULT_PARSER_CLASSES": [
        "server.networks.api.parsing.BoundedJSONParser",
    ],
    "DEFAULT_SCHEMA_CLASS": "server.networks.api.description.DescribedErrors",
    # How many proxies in front are ours: only what they state of an address is believed.
    "NUM_PROXIES": int(os.environ.get("ROUTREL_PROXIES", "0")),
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
    "OAS_VERSION": "3.1.0",
    "POSTPROCESSING_HOOKS": [
        "drf_spectacular.hooks.postprocess_schema_enums",
        "server.networks.api.typed.with_answers",
    ],
    "ENUM_NAME_OVERRIDES": {
        "JobKindEnum": "server.networks.models.JobKind.choices",
        "JobStatusEnum": "server.networks.models.JobStatus.choices",
        "RoleEnum": "server.networks.models.Role.choices",
    },
}

#: The computed states kept on disk, and in the memory of each computing process.
STATE_CACHE = VAR / "cache" / "states"
STATE_CACHE_BYTES = 1024 * 1024 * 1024
STATE_MEMORY_BYTES = 192 * 1024 * 1024
#: Answers that the executor keeps in memory.
ANSWER_MEMORY_BYTES = 64 * 1024 * 1024

#: Computing processes for questions and for jobs, what each may take, and how long a question may.
EXECUTOR_QUESTIONS = 2
EXECUTOR_JOBS = 2
# Processes of a sweep; left out: one a core. Or an existing cluster, as tcp://host:port.
SWEEP_WORKERS = int(os.environ.get("ROUTREL_SWEEP_WORKERS", "0")) or None
SWEEP_CLUSTER = os.environ.get("ROUTREL_SWEEP_CLUSTER", "")
EXECUTOR_MEMORY_BYTES = 3 * 1024 * 1024 * 1024
EXECUTOR_QUESTION_S = 120

#: One JSON object a line, with the name of the request that it is about.
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "filters": {"request": {"()": "server.config.requests.RequestName"}},
    "formatters": {
        "json": {
            "()": "pythonjsonlogger.json.JsonFormatter",
            "fmt": ["asctime", "levelname", "name", "request", "message"],
            "rename_fields": {"asctime": "time", "levelname": "level", "name": "logger"},
        }
    },
    "handlers": {
        "console": {
            "class": "logging.StreamHandler",
            "formatter": "json",
            "filters": ["request"],
        }
    },
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {
        "routrel": {"level": "INFO"},
        "django.request": {"level": "CRITICAL"},  # the requests' own log has what it would say
    },
}
