"""Settings. Everything that is written lies below VAR_DIR; nothing leaves the machine."""

import os
from importlib.util import find_spec
from pathlib import Path

from django.core.exceptions import ImproperlyConfigured

from saltwort.server.secret import secret_key

BASE_DIR = Path(__file__).resolve().parents[2]
IS_CHECKOUT = (BASE_DIR / "manage.py").exists()
_DATA = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")
VAR_DIR = Path(os.environ.get("SALTWORT_VAR") or (BASE_DIR / "var" if IS_CHECKOUT else _DATA / "saltwort"))
VAR_DIR.mkdir(parents=True, exist_ok=True)
VAR_DIR.chmod(0o700)  # projects are no business of other users of this machine

SECRET_KEY = secret_key(VAR_DIR / "secret_key")
DEBUG = os.environ.get("SALTWORT_DEBUG") == "1"
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]"]

INSTALLED_APPS = [
    "django.contrib.contenttypes",
    "django.contrib.staticfiles",
    "rest_framework",
    "drf_spectacular",
    "django_tasks",
    "django_tasks_db",
    "saltwort.server",
    "saltwort.server.history",
    "saltwort.server.projects",
    "saltwort.server.images",
    "saltwort.server.textures",
    "saltwort.server.conversions",
    "saltwort.server.scene",
    "saltwort.server.compare",
    "saltwort.server.handoffs",
    "saltwort.server.watching",
    "saltwort.server.migrating",
    "saltwort.server.outputs",
    "saltwort.server.jobs",
]

MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "saltwort.server.middleware.same_origin_only",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
]

ROOT_URLCONF = "saltwort.server.urls"
WSGI_APPLICATION = "saltwort.server.wsgi.application"

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": VAR_DIR / "saltwort.sqlite3",
        # Each thread keeps its connection: to open one takes longer than most answers.
        "CONN_MAX_AGE": None,
        "OPTIONS": {
            "transaction_mode": "IMMEDIATE",
            "timeout": 20,
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL;",
        },
        # A file, so that the web server's threads and the tests see one database.
        "TEST": {"NAME": VAR_DIR / "test.sqlite3"},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

# Work on many files is spread over the machines that listen to this Redis server; without one, over this one's cores.
REDIS_URL = os.environ.get("SALTWORT_REDIS", "")
FILE_QUEUE = "default"
RQ_QUEUES = {FILE_QUEUE: {"URL": REDIS_URL}} if REDIS_URL else {}
if REDIS_URL:
    if find_spec("django_tasks_rq") is None:
        raise ImproperlyConfigured(
            "SALTWORT_REDIS is set, but what talks to Redis is missing. Install saltwort[workers]."
        )
    INSTALLED_APPS.append("django_rq")
TASKS = {
    "default": {"BACKEND": "django_tasks_db.DatabaseBackend"},
    "files": {
        "BACKEND": "django_tasks_rq.RQBackend" if REDIS_URL else "django_tasks.backends.immediate.ImmediateBackend"
    },
}

WEB_DIR = BASE_DIR / "web" / "dist" if IS_CHECKOUT else BASE_DIR / "saltwort" / "web"
STATIC_URL = "/static/"
STATIC_ROOT = WEB_DIR
WHITENOISE_ROOT = WEB_DIR
WHITENOISE_ALLOW_ALL_ORIGINS = False
# Vite writes a hash of the content into each name below assets/.
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/assets/.+-[\w-]{8}\.\w+$"

MEDIA_ROOT = VAR_DIR / "media"

# Folders below which configs and textures are read from where they lie, and converted files are written.
READABLE_FOLDERS = [
    Path(path) for path in os.environ.get("SALTWORT_FOLDERS", str(Path.home())).split(os.pathsep) if path
]
FILE_UPLOAD_MAX_MEMORY_SIZE = 8 << 20
DATA_UPLOAD_MAX_MEMORY_SIZE = 8 << 20
DATA_UPLOAD_MAX_NUMBER_FILES = 500
MAX_UPLOAD_BYTES = 4 << 30

USE_TZ = True
TIME_ZONE = "UTC"
LANGUAGE_CODE = "en-gb"

REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": [],
    "DEFAULT_PERMISSION_CLASSES": [],
    "UNAUTHENTICATED_USER": None,
    "DEFAULT_RENDERER_CLASSES": ["rest_framework.renderers.JSONRenderer"],
    "DEFAULT_PARSER_CLASSES": ["rest_framework.parsers.JSONParser"],
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "EXCEPTION_HANDLER": "saltwort.server.http.answer_errors",
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Saltwort",
    "DESCRIPTION": "The API between Saltwort's screens and its server.",
    "VERSION": "1",
    "SERVE_INCLUDE_SCHEMA": False,
    "COMPONENT_SPLIT_REQUEST": False,
    "ENUM_GENERATE_CHOICE_DESCRIPTION": False,
    "ENUM_NAME_OVERRIDES": {
        "DeliverableKind": "saltwort.server.outputs.views.KINDS",
        "LevelEnum": "saltwort.core.findings.LEVELS",
        "ProofState": "saltwort.core.stations.proof.STATES",
        "SettingLevel": "saltwort.core.stations.sheet.LEVELS",
    },
}

X_FRAME_OPTIONS = "DENY"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"

TEST_RUNNER = "tests.runner.CountingRunner"

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {
        "django_tasks_db": {"level": "ERROR"},
        # A line for every request that waits for a thread.
        "waitress.queue": {"level": "ERROR"},
        # Refusals are answered to who asked, in words; here they would only hide what went wrong inside.
        "django.request": {"level": "ERROR"},
        "django.security.DisallowedHost": {"level": "CRITICAL"},
    },
}
