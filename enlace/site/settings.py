"""Settings. What differs between installations comes from the environment:

ENLACE_HOME      folder of Enlace's own data (default: var/ in the checkout)
ENLACE_HOSTS     host names that may be asked for, with commas (default: this machine only)
ENLACE_SECRET    the signing key (default: made once, kept in ENLACE_HOME/secret.key)
ENLACE_KEY       what the passwords of connections are encrypted with (default: made once, in ENLACE_HOME/connections.key)
ENLACE_HTTPS     "1" behind a proxy that speaks HTTPS: cookies are then sent over HTTPS only
ENLACE_DEMO      "1" shows the simulated colleague and the simulated outage of the demo
ENLACE_JOURNAL_DAYS  how long the journal keeps a save (default: 730; two million lines at most)
ENLACE_FOLDERS   folders whose files may be connected, with colons between (default: any file that Enlace may read)
ENLACE_SERVERS   servers that may be connected, as host or host:port with commas between (default: any)
ENLACE_VARIABLES environment variables that connections may take their passwords from, with commas between, beside those
                 that begin with DB_PASSWORD_
ENLACE_IDLE_MINUTES  after how long without anybody there a session ends (default: 120; after 12 hours in any case)
ENLACE_LOCALE    how numbers and dates are written, such as pt_PT (default: en_GB)
"""

import os
import secrets
from contextlib import suppress
from datetime import timedelta
from pathlib import Path

from csp.constants import NONCE

BASE = Path(__file__).resolve().parent.parent.parent
HOME = Path(os.environ.get("ENLACE_HOME", BASE / "var"))
os.umask(0o077)  # what Enlace writes is for the account that runs it
HOME.mkdir(parents=True, exist_ok=True)
with suppress(OSError):  # somebody else's folder, with rights of its own
    HOME.chmod(0o700)


def _secret() -> str:
    if os.environ.get("ENLACE_SECRET"):
        return os.environ["ENLACE_SECRET"]
    path = HOME / "secret.key"
    try:
        # Made with rights for its owner only, and by one process only.
        with open(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as file:
            file.write(secrets.token_urlsafe(50))
    except FileExistsError:
        pass
    return path.read_text()


SECRET_KEY = _secret()
DEBUG = False
ALLOWED_HOSTS = os.environ.get("ENLACE_HOSTS", "127.0.0.1,localhost,[::1]").split(",")
ROOT_URLCONF = "enlace.site.urls"
WSGI_APPLICATION = "enlace.site.wsgi.application"
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "django_htmx",
    "csp",
    "axes",
    "enlace.accounts",
    "enlace.workshop",
    "enlace.desk",
    "enlace.composer",
    "enlace.folder",
    "enlace.site",
]
DEMO = os.environ.get("ENLACE_DEMO") == "1"
if DEMO:
    INSTALLED_APPS.append("demo.panel")
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "enlace.workshop.secrets.SessionPasswords",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "enlace.accounts.sessions.Presence",
    "enlace.site.middleware.SignedIn",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "enlace.site.middleware.ProblemMiddleware",
    "axes.middleware.AxesMiddleware",
]
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
                "enlace.site.context.frame",
            ]
        },
    }
]
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": HOME / "enlace.sqlite3",
        "CONN_MAX_AGE": None,
        "OPTIONS": {
            # A draft that was acknowledged must survive a crash of the machine: WAL with full syncs.
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL; PRAGMA busy_timeout=10000;",
            "transaction_mode": "IMMEDIATE",
            "timeout": 10,
        },
        # Tests run in a file too, so that they meet the same locking.
        "TEST": {"NAME": HOME / "test.sqlite3"},
    }
}
AUTH_USER_MODEL = "accounts.Person"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
# Wrong passwords count by name and address together: whoever guesses does not lock the owner out, who is elsewhere.
AXES_FAILURE_LIMIT = 10
AXES_COOLOFF_TIME = timedelta(minutes=5)
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_RESET_ON_SUCCESS = True
AXES_USERNAME_CALLABLE = "enlace.accounts.views.name_of"
AXES_LOCKOUT_CALLABLE = "enlace.accounts.views.locked_out"
AXES_CLIENT_IP_CALLABLE = "enlace.accounts.address.address_of"
AXES_VERBOSE = False
AXES_DISABLE_ACCESS_LOG = True
SESSION_COOKIE_AGE = 12 * 3600  # however busy somebody is
IDLE_SECONDS = 60 * int(os.environ.get("ENLACE_IDLE_MINUTES", 120))
LOGIN_URL = "sign-in"
LOGIN_REDIRECT_URL = "home"
LOGOUT_REDIRECT_URL = "sign-in"

VARIABLES = frozenset(filter(None, os.environ.get("ENLACE_VARIABLES", "").split(",")))
FOLDERS = os.environ.get("ENLACE_FOLDERS")
SERVERS = os.environ.get("ENLACE_SERVERS")

JOURNAL_DAYS = int(os.environ.get("ENLACE_JOURNAL_DAYS", 730))

LANGUAGE_CODE = "en-gb"
USE_I18N = False
USE_TZ = True
TIME_ZONE = "UTC"
LOCALE = os.environ.get("ENLACE_LOCALE", "en_GB")

STATIC_URL = "static/"
STATIC_ROOT = HOME / "static"
STATICFILES_DIRS: list[Path] = []  # extensions add theirs
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "enlace.site.files.Files"},
}

# A text of several megabytes is one form field; a picture has its own limit in enlace.desk.pictures.
DATA_UPLOAD_MAX_MEMORY_SIZE = 16 * 1024 * 1024
DATA_UPLOAD_MAX_NUMBER_FIELDS = 2000

CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": ["'none'"],
        "script-src": ["'self'"],
        # A code editor makes its styles as it runs: a page that has one gives them a nonce of its own.
        "style-src": ["'self'", NONCE],
        "img-src": ["'self'", "data:"],
        "font-src": ["'self'"],
        "connect-src": ["'self'"],
        "form-action": ["'self'"],
        "base-uri": ["'none'"],
        "frame-ancestors": ["'none'"],
    }
}
X_FRAME_OPTIONS = "DENY"
SECURE_REFERRER_POLICY = "same-origin"
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_HTTPONLY = True
if os.environ.get("ENLACE_HTTPS") == "1":
    SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = True
    SESSION_COOKIE_NAME, CSRF_COOKIE_NAME = "__Host-session", "__Host-csrf"
    SECURE_HSTS_SECONDS = 31_536_000
    SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")

TEST_RUNNER = "tests.runner.Runner"
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"line": {"format": "%(asctime)s %(name)s %(message)s"}},
    "handlers": {
        "console": {"class": "logging.StreamHandler"},
        "security": {
            "class": "logging.handlers.WatchedFileHandler",
            "filename": HOME / "security.log",
            "formatter": "line",
            "delay": True,
        },
    },
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {
        "django.request": {"level": "ERROR"},
        "axes": {"level": "ERROR"},
        "enlace.security": {"handlers": ["security"], "level": "INFO", "propagate": False},
    },
}
