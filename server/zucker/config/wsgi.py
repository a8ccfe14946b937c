"""The web process: any number of them behind a proxy, none of them keeps state."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "zucker.config.settings")
application = get_wsgi_application()
