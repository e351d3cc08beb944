"""Django's settings; what can be changed from outside stands in reel.options."""

import os

from csp.constants import NONE, SELF

from reel import options

HOME = options.Home.from_environment()
HOME.make()

RESERVE_BYTES, WAITING_BYTES = options.reserve_bytes(), options.waiting_bytes()

SECRET_KEY = HOME.secret.read_text()
DEBUG = options.value("DEBUG") == "1"
ALLOWED_HOSTS = ["127.0.0.1", "localhost"]
ROOT_URLCONF = "reel.web.urls"
ASGI_APPLICATION = "reel.web.asgi.application"

INSTALLED_APPS = [
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "django_htmx",
    "huey.contrib.djhuey",
    "csp",
    "reel.web.ui",
    "reel.web.rigs.apps.RigsConfig",
    "reel.web.stages",
    "reel.web.machine.apps.MachineConfig",
    "reel.web.recipes",
    "reel.web.roll",
    "reel.web.finishes.apps.FinishesConfig",
    "reel.web.takes.apps.TakesConfig",
    "reel.web.jobs",
]
MIDDLEWARE = [
    "reel.web.ui.middleware.OwnPages",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "reel.web.ui.middleware.Refusals",
]
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.messages.context_processors.messages",
                "reel.web.live.context.roll",
            ],
            "builtins": [f"reel.web.ui.templatetags.{name}" for name in ("units", "devices", "words")],
        },
    }
]
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": HOME.database,
        "TEST": {"NAME": os.environ.get(options.TEST_DATABASE) or None},
        "OPTIONS": {
            "timeout": 10,
            "transaction_mode": "IMMEDIATE",
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL;",
        },
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
MESSAGE_STORAGE = "django.contrib.messages.storage.cookie.CookieStorage"

LANGUAGE_CODE = "en"
USE_TZ = True
TIME_ZONE = "UTC"  # for storing; pages show the machine's own zone (units.moment)

STATIC_URL = "/static/"
WHITENOISE_USE_FINDERS = True
WHITENOISE_AUTOREFRESH = DEBUG
WHITENOISE_MAX_AGE = 0 if DEBUG else 60

# Everything comes from here; nothing inline is run, nothing is framed.
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [NONE],
        "script-src": [SELF],
        "style-src": [SELF],
        "img-src": [SELF, "data:", "blob:"],
        "media-src": [SELF],
        "font-src": [SELF],
        "connect-src": [SELF],
        "form-action": [SELF],
        "base-uri": [NONE],
        "frame-ancestors": [NONE],
    }
}
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
CSRF_COOKIE_SAMESITE = "Strict"
DATA_UPLOAD_MAX_MEMORY_SIZE = 1_000_000
CSRF_FAILURE_VIEW = "reel.web.ui.views.forbidden"

HUEY = {
    "huey_class": "huey.SqliteHuey",
    "name": "reel",
    "filename": str(HOME.queue),
    "immediate": False,
    "results": False,
    "utc": True,
    "consumer": {"workers": 2, "initial_delay": 0.1, "max_delay": 0.5, "periodic": True},
}

TEST_RUNNER = "reel.web.runner.CountingRunner"
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"plain": {"format": "{asctime} {levelname} {name}: {message}", "style": "{"}},
    "handlers": {"stderr": {"class": "logging.StreamHandler", "formatter": "plain"}},
    "root": {"handlers": ["stderr"], "level": "INFO"},
    # a forged host is refused with a sentence; its traceback tells nobody anything
    "loggers": {
        "django.security": {"level": "CRITICAL"},
        "django.request": {"level": "ERROR"},
        "huey": {"level": "WARNING"},
    },
}
