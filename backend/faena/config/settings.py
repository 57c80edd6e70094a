"""Django settings, all from the environment (see environment.py)."""

import gc

from faena.config.environment import CHECKOUT, read_environment, secret

ENVIRONMENT = read_environment()

# What is kept of samples and dictionaries is a million objects that stay. Looking through all of them for circles, as
# Python does by default after every 700 new ones, holds up each tenth answer for 100 ms; circles are rare here.
gc.set_threshold(50_000, 20, 50)

DEBUG = ENVIRONMENT.debug
SECRET_KEY = secret(ENVIRONMENT.secret_file)
ALLOWED_HOSTS = list(ENVIRONMENT.allowed_hosts)
ROOT_URLCONF = "faena.config.urls"
ASGI_APPLICATION = "faena.config.asgi.application"
USE_TZ = True
TIME_ZONE = "UTC"
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "axes",
    "csp",
    "faena.apps.accounts",
    "faena.apps.servers",
    "faena.apps.samples",
    "faena.apps.statements",
    "faena.apps.hosts",
    "faena.apps.plans",
    "faena.apps.locks",
    "faena.apps.requests",
    "faena.apps.sessions.apps.SessionsConfig",
    "faena.apps.changes",
    "faena.apps.leads",
    "faena.apps.verdicts",
    "faena.apps.alerts.apps.AlertsConfig",
    "faena.apps.cases",
    "faena.apps.collecting",
    "faena.api",
]

MIDDLEWARE = [
    "faena.config.edge.edge",
    "django.middleware.security.SecurityMiddleware",
    "csp.middleware.CSPMiddleware",
    # Its files are compressed already. Before it, not behind: "nothing changed" compressed is twenty bytes, and may have none.
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "faena.config.edge.idle_limit",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "axes.middleware.AxesMiddleware",
]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "HOST": ENVIRONMENT.store_host,
        "PORT": ENVIRONMENT.store_port,
        "NAME": ENVIRONMENT.store_database,
        "USER": ENVIRONMENT.store_user,
        "PASSWORD": ENVIRONMENT.store_password,
        "OPTIONS": {
            # Requests run on changing threads, so connections are kept in a pool and not per thread.
            # A pool that found the store away tries again once a second and not ever more seldom (its reconnect_timeout
            # is how long it goes on with growing pauses), so that answers are back seconds after the store is.
            "pool": {"min_size": 1, "max_size": 8, "timeout": 3, "reconnect_timeout": 1, "max_idle": 60},
            "connect_timeout": 3,
            "application_name": "faena store",
            "options": "-c statement_timeout=30000",
        },
    }
}

AUTH_USER_MODEL = "accounts.User"
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
PASSWORD_HASHERS = ["django.contrib.auth.hashers.Argon2PasswordHasher"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
AXES_FAILURE_LIMIT = 6
AXES_COOLOFF_TIME = 0.25  # hours
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]  # both together: nobody can lock a colleague out from elsewhere
AXES_RESET_ON_SUCCESS = True
AXES_LOCKOUT_CALLABLE = "faena.api.problems.locked_out"

SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_SECURE = ENVIRONMENT.https
SESSION_COOKIE_AGE = 14 * 24 * 3600  # at most; see IDLE_MINUTES and config/edge.py for sign-ins that nobody uses
CSRF_FAILURE_VIEW = "faena.api.problems.csrf_failed"
SECURE_HSTS_SECONDS = 365 * 24 * 3600 if ENVIRONMENT.https else 0
DATA_UPLOAD_MAX_MEMORY_SIZE = 8 * 1024 * 1024
CSRF_COOKIE_SECURE = ENVIRONMENT.https
CSRF_COOKIE_SAMESITE = "Lax"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": ["'none'"],
        "script-src": ["'self'"],
        # React sets sizes and positions of marks as style properties through the DOM, which this does not touch.
        "style-src": ["'self'"],
        "font-src": ["'self'"],
        "img-src": ["'self'", "data:", "blob:"],
        "connect-src": ["'self'"],
        "base-uri": ["'none'"],
        "form-action": ["'self'"],
        "frame-ancestors": ["'none'"],
    }
}

STATIC_URL = "/static/"
FRONTEND_DIST = CHECKOUT / "frontend" / "dist"
WHITENOISE_ROOT = FRONTEND_DIST if FRONTEND_DIST.exists() else None
WHITENOISE_INDEX_FILE = False
WHITENOISE_ALLOW_ALL_ORIGINS = False
# The build names these by what is in them, so that a browser may keep them for good.
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/assets/.+-[\w-]{8}\.\w+$"

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"told": {"()": f"faena.config.logs.{'JsonLines' if ENVIRONMENT.json_logs else 'Plain'}"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "told"}},
    "root": {"handlers": ["console"], "level": "INFO"},
    "loggers": {
        "axes": {"level": "WARNING"},
        "django.request": {"level": "ERROR"},
        "django.security": {"level": "ERROR"},
        "psycopg.pool": {"level": "ERROR"},
        # The parser warns by citing the statement it was given; see docs/security.md.
        "sqlglot": {"level": "CRITICAL", "propagate": False, "handlers": []},
    },
}
