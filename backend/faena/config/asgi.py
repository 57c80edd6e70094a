"""ASGI entry for uvicorn."""

import os
import warnings

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "faena.config.settings")
from faena.config.edge import BodyLimit  # after the settings are named

# The built page and its files are small and sent whole; reading them in one go is what we want.
warnings.filterwarnings("ignore", message="StreamingHttpResponse must consume synchronous iterators")
application = BodyLimit(get_asgi_application())
